CREATE TABLE versions (
  id            INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_id    INT UNSIGNED NOT NULL,
  number        INT UNSIGNED NOT NULL,
  content_hash  CHAR(64) CHARACTER SET ascii NOT NULL,
  content       LONGTEXT NOT NULL,
  note          VARCHAR(500) NOT NULL DEFAULT '',
  created_at    DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY by_number (subject_id, number),
  UNIQUE KEY by_content (subject_id, content_hash),
  FOREIGN KEY (subject_id) REFERENCES subjects (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
