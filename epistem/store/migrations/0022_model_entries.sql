CREATE TABLE model_entries (
  id     INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  hash   BINARY(32) NOT NULL UNIQUE COMMENT 'SHA-256 of the entry',
  entry  LONGTEXT NOT NULL COMMENT 'JSON: what the model list said when it was asked; never a key'
) DEFAULT CHARSET = utf8mb4;
