CREATE TABLE walk_events (
  id        BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  walk_id   BIGINT UNSIGNED NOT NULL,
  kind      VARCHAR(8) NOT NULL COMMENT 'begun, piece, step, paused, said or end',
  told      MEDIUMBLOB NOT NULL COMMENT 'JSON, long values cut',
  KEY by_walk (walk_id, id),
  FOREIGN KEY (walk_id) REFERENCES walks (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'what happened in a walk, for those who watch';
