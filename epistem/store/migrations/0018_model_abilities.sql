ALTER TABLE models
  ADD COLUMN abilities VARCHAR(200) NOT NULL DEFAULT 'tools,images,reply_schema,reasoning' COMMENT 'with commas between',
  ADD COLUMN requests_per_minute INT UNSIGNED NULL COMMENT 'what the server allows; null is no limit',
  ADD COLUMN headers TEXT NULL COMMENT 'JSON: more headers to send, none of them secret';
