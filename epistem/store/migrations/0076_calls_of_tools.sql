ALTER TABLE calls
  ADD COLUMN tool_id INT UNSIGNED NULL COMMENT 'or the kept tool that was called by hand',
  ADD KEY by_tool (tool_id, id);
