ALTER TABLE versions ADD COLUMN saved_by VARCHAR(80) NOT NULL DEFAULT '' COMMENT 'as the person gave it';
