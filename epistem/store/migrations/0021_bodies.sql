CREATE TABLE bodies (
  id       BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  hash     BINARY(32) NOT NULL UNIQUE COMMENT 'SHA-256 of the content',
  content  LONGBLOB NOT NULL COMMENT 'the body of a request without its seed: kept once, however often it is sent'
) DEFAULT CHARSET = utf8mb4;
