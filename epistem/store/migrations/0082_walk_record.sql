CREATE TABLE walk_record (
  walk_id   BIGINT UNSIGNED NOT NULL,
  path      VARCHAR(300) CHARACTER SET ascii COLLATE ascii_bin NOT NULL COMMENT 'its place in the program',
  kind      VARCHAR(8) NOT NULL COMMENT 'reply, tool, found or person',
  digest    VARBINARY(100) NOT NULL COMMENT 'of what was needed',
  given     LONGBLOB NOT NULL COMMENT 'JSON',
  ms        DOUBLE NOT NULL,
  again     BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'from the walk that is replayed',
  PRIMARY KEY (walk_id, path),
  FOREIGN KEY (walk_id) REFERENCES walks (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'what a walk was given: enough to resume and to replay it';
