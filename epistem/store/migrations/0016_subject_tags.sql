ALTER TABLE subjects ADD COLUMN tags TEXT NULL COMMENT 'JSON list of words';
