ALTER TABLE arms
  ADD COLUMN entry_id INT UNSIGNED NULL COMMENT 'the model as it was when the trial was made',
  ADD COLUMN paused_until DATETIME(3) NULL COMMENT 'not asked before then',
  ADD COLUMN paused_why VARCHAR(600) NOT NULL DEFAULT '',
  ADD COLUMN pauses SMALLINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'in a row, since its last answer';
