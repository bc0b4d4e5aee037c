ALTER TABLE trials
  MODIFY COLUMN status ENUM('waiting', 'running', 'finished', 'stopped', 'failed') NOT NULL DEFAULT 'waiting',
  ADD COLUMN failure VARCHAR(600) NOT NULL DEFAULT '' COMMENT 'why it failed, in a sentence',
  ADD COLUMN attempts TINYINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'shards that broke since the last reading';
