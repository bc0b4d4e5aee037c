ALTER TABLE trials ADD COLUMN measures LONGTEXT NULL COMMENT 'rows of evidence with their signatures, as they were when it was made';
