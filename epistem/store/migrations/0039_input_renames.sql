CREATE TABLE input_renames (
  id          INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_id  INT UNSIGNED NOT NULL,
  old         VARCHAR(80) NOT NULL,
  new         VARCHAR(80) NOT NULL,
  renamed_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY by_subject (subject_id, id),
  FOREIGN KEY (subject_id) REFERENCES subjects (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COMMENT 'so that versions of before can be asked with the inputs of today';
