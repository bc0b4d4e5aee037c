CREATE TABLE case_revisions (
  case_id     INT UNSIGNED NOT NULL,
  revision    INT UNSIGNED NOT NULL,
  content     LONGTEXT NOT NULL COMMENT 'as it was until the next revision',
  changed_by  VARCHAR(80) NOT NULL DEFAULT '',
  changed_at  DATETIME(3) NOT NULL COMMENT 'when it came to be so',
  PRIMARY KEY (case_id, revision),
  FOREIGN KEY (case_id) REFERENCES cases (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
