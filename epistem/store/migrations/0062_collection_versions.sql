CREATE TABLE collection_versions (
  collection_id INT UNSIGNED NOT NULL,
  number        INT UNSIGNED NOT NULL,
  told          VARCHAR(400) NOT NULL DEFAULT '' COMMENT 'what changed, in a few words',
  documents     INT UNSIGNED NOT NULL,
  passages      INT UNSIGNED NOT NULL,
  made_by       VARCHAR(80) NOT NULL DEFAULT '',
  made_at       DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (collection_id, number),
  FOREIGN KEY (collection_id) REFERENCES collections (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
