CREATE TABLE tried_contents (
  id            INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_id    INT UNSIGNED NOT NULL,
  content_hash  CHAR(64) CHARACTER SET ascii NOT NULL,
  content       LONGBLOB NOT NULL COMMENT 'a draft as it was tried: JSON, kept once however often it was',
  UNIQUE KEY by_hash (subject_id, content_hash),
  FOREIGN KEY (subject_id) REFERENCES subjects (id)
) DEFAULT CHARSET = utf8mb4;
