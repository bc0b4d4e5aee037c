CREATE TABLE documents (
  id            INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  collection_id INT UNSIGNED NOT NULL,
  stem          VARCHAR(63) NOT NULL COMMENT 'what references to its passages begin with',
  highest       INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'the highest number that a passage of it ever had',
  UNIQUE KEY (collection_id, stem),
  FOREIGN KEY (collection_id) REFERENCES collections (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
