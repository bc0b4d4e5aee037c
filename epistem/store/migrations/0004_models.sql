CREATE TABLE models (
  name              VARCHAR(80) NOT NULL PRIMARY KEY,
  address           VARCHAR(300) NOT NULL,
  key_reference     VARCHAR(200) NULL,
  context_window    INT UNSIGNED NOT NULL,
  input_cents       DOUBLE NOT NULL COMMENT 'cents for a million tokens',
  output_cents      DOUBLE NOT NULL COMMENT 'cents for a million tokens',
  time_limit_ms     INT UNSIGNED NOT NULL DEFAULT 60000,
  about             VARCHAR(300) NOT NULL DEFAULT ''
) DEFAULT CHARSET = utf8mb4;
