ALTER TABLE cases
  ADD COLUMN title VARCHAR(500) NULL COMMENT 'what a list shows of it',
  ADD COLUMN label VARCHAR(200) NULL COMMENT 'the label that is expected',
  ADD COLUMN tags TEXT NULL COMMENT 'JSON',
  ADD COLUMN turns SMALLINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'what the person says after the inputs',
  ADD COLUMN words MEDIUMTEXT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL COMMENT 'what it is searched by, in small letters',
  ADD INDEX cases_listed (subject_id, deleted_at, number);
