ALTER TABLE arms ADD COLUMN step MEDIUMTEXT NULL COMMENT 'JSON: of a chain, the step at which it has something else than its version';
