CREATE TABLE brought_documents (
  id            INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  collection_id INT UNSIGNED NOT NULL,
  file          VARCHAR(300) NOT NULL,
  title         VARCHAR(200) NOT NULL DEFAULT '',
  headings      LONGTEXT NOT NULL COMMENT 'JSON, as in document_versions',
  told          TEXT NOT NULL COMMENT 'JSON: what was left out, in a sentence each',
  content       LONGTEXT NOT NULL,
  problem       VARCHAR(400) NOT NULL DEFAULT '' COMMENT 'why it can not be read',
  cut           LONGTEXT NULL COMMENT 'JSON: how it is to be cut, where that is not as the others are',
  brought_by    VARCHAR(80) NOT NULL DEFAULT '',
  brought_at    DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (collection_id),
  FOREIGN KEY (collection_id) REFERENCES collections (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'files that are looked at, and not kept yet';
