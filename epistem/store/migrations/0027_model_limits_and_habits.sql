ALTER TABLE models
  ADD COLUMN calls_at_once INT UNSIGNED NULL COMMENT 'null is no limit',
  ADD COLUMN tokens_per_minute INT UNSIGNED NULL COMMENT 'null is no limit',
  ADD COLUMN habits TEXT NULL COMMENT 'JSON: what its server does otherwise than most';
