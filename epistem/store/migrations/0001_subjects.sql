CREATE TABLE subjects (
  id          INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name        VARCHAR(63) CHARACTER SET ascii NOT NULL UNIQUE,
  kind        ENUM('prompt', 'chain') NOT NULL DEFAULT 'prompt',
  about       VARCHAR(200) NOT NULL DEFAULT '',
  checks      LONGTEXT NULL COMMENT 'null until chosen: then those that suit the reply shape',
  created_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
) DEFAULT CHARSET = utf8mb4;
