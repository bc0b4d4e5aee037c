CREATE TABLE sources (
  id          INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name        VARCHAR(63) CHARACTER SET ascii NOT NULL UNIQUE,
  about       VARCHAR(200) NOT NULL DEFAULT '',
  kind        VARCHAR(10) CHARACTER SET ascii NOT NULL COMMENT 'sqlite: an attached file; mariadb: elsewhere',
  hash        BINARY(32) NULL COMMENT 'of the file',
  file        VARCHAR(300) NOT NULL DEFAULT '',
  size        BIGINT UNSIGNED NOT NULL DEFAULT 0,
  place       TEXT NULL COMMENT 'JSON: host, port, user, database, reference of the password',
  changed_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
  changed_by  VARCHAR(80) NOT NULL DEFAULT ''
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'what SQL tools read';
