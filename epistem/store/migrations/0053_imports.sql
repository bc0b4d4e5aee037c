CREATE TABLE imports (
  id          INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_id  INT UNSIGNED NOT NULL,
  file        VARCHAR(300) NOT NULL,
  size        INT UNSIGNED NOT NULL,
  status      ENUM('open', 'keeping', 'kept', 'undone') NOT NULL DEFAULT 'open',
  reading     MEDIUMTEXT NOT NULL COMMENT 'JSON: how it is read, and what its columns mean',
  total       INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'cases that are to be kept',
  done        INT UNSIGNED NOT NULL DEFAULT 0,
  created_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  begun_by    VARCHAR(80) NOT NULL DEFAULT '',
  KEY of_subject (subject_id, id),
  FOREIGN KEY (subject_id) REFERENCES subjects (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
