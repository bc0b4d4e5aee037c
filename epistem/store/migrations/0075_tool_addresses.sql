CREATE TABLE tool_addresses (
  scheme      VARCHAR(10) CHARACTER SET ascii NOT NULL,
  host        VARCHAR(255) CHARACTER SET ascii NOT NULL,
  port        SMALLINT UNSIGNED NOT NULL,
  inside      BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'may stand for this machine or its network',
  allowed_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  allowed_by  VARCHAR(80) NOT NULL DEFAULT '',
  PRIMARY KEY (scheme, host, port)
) DEFAULT CHARSET = utf8mb4 COMMENT 'what tools may reach';
