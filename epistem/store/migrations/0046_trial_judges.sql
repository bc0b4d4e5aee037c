ALTER TABLE trials ADD COLUMN judges LONGTEXT NULL COMMENT 'JSON: the entry of each model that judges its answers, by name';
