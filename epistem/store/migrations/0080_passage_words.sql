CREATE TABLE passage_words (
  version_id  INT UNSIGNED NOT NULL COMMENT 'of the document',
  position    INT UNSIGNED NOT NULL,
  words       MEDIUMTEXT NOT NULL COMMENT 'the terms that it is searched by, each as plain letters',
  PRIMARY KEY (version_id, position),
  FULLTEXT KEY by_words (words),
  FOREIGN KEY (version_id) REFERENCES document_versions (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'of collections whose index is in the database';
