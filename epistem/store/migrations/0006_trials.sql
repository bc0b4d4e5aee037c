CREATE TABLE trials (
  id           INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_id   INT UNSIGNED NOT NULL,
  status       ENUM('waiting', 'running', 'finished', 'stopped') NOT NULL DEFAULT 'waiting',
  plan         LONGTEXT NOT NULL COMMENT 'as asked for, with the checks and cases spelt out',
  total        INT UNSIGNED NOT NULL,
  recorded     INT UNSIGNED NOT NULL DEFAULT 0,
  unanswered   INT UNSIGNED NOT NULL DEFAULT 0,
  created_at   DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  started_at   DATETIME(3) NULL,
  finished_at  DATETIME(3) NULL,
  KEY by_subject (subject_id, id),
  KEY by_status (status),
  FOREIGN KEY (subject_id) REFERENCES subjects (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
