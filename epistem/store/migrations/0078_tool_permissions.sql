CREATE TABLE tool_permissions (
  token     CHAR(32) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  tool      VARCHAR(64) NOT NULL,
  allowed   BOOLEAN NULL COMMENT 'null while nobody has said',
  asked_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  said_by   VARCHAR(80) NOT NULL DEFAULT ''
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'calls of tools that change something, in tries';
