CREATE TABLE look_up_cases (
  id            INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  collection_id INT UNSIGNED NOT NULL,
  question      TEXT NOT NULL,
  wanted        TEXT NOT NULL COMMENT 'JSON: references of the passages that it should find',
  kept_by       VARCHAR(80) NOT NULL DEFAULT '',
  kept_at       DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  deleted_at    DATETIME(3) NULL,
  KEY (collection_id),
  FOREIGN KEY (collection_id) REFERENCES collections (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
