ALTER TABLE drafts ADD COLUMN source LONGTEXT NULL COMMENT 'of a chain: its YAML as it was typed';
