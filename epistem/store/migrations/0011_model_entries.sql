ALTER TABLE models
  ADD COLUMN served_as VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'its name at the server; empty when it is the same',
  ADD COLUMN wire_format VARCHAR(40) NOT NULL DEFAULT 'chat_completions',
  ADD COLUMN policy VARCHAR(600) NOT NULL DEFAULT '' COMMENT 'where data goes, and whether it is kept',
  ADD COLUMN built_in BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'put there anew at every start';
