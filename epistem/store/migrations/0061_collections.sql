CREATE TABLE collections (
  id          INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name        VARCHAR(63) NOT NULL UNIQUE,
  note        VARCHAR(2000) NOT NULL DEFAULT '',
  version     INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'its newest; 0 while it is empty',
  embeds_with VARCHAR(80) NULL COMMENT 'the model that makes vectors of its passages',
  created_by  VARCHAR(80) NOT NULL DEFAULT '',
  created_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  deleted_at  DATETIME(3) NULL
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
