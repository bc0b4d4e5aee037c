CREATE TABLE cases_apart (
  subject_id  INT UNSIGNED NOT NULL,
  one         INT UNSIGNED NOT NULL COMMENT 'numbers of two cases that are alike and no doubles, the smaller first',
  other       INT UNSIGNED NOT NULL,
  said_by     VARCHAR(80) NOT NULL DEFAULT '',
  said_at     DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (subject_id, one, other),
  FOREIGN KEY (subject_id) REFERENCES subjects (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
