ALTER TABLE walked ADD COLUMN talk LONGBLOB NULL COMMENT 'JSON: of a chain that converses, pairs of what was said to the person and what they said';
