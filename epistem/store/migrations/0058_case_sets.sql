CREATE TABLE case_sets (
  subject_id  INT UNSIGNED NOT NULL,
  name        VARCHAR(80) NOT NULL,
  find        VARCHAR(400) NOT NULL DEFAULT '' COMMENT 'a filter, where it is not made by hand',
  numbers     LONGTEXT NULL COMMENT 'JSON: the numbers of its cases, where it is made by hand',
  changed_by  VARCHAR(80) NOT NULL DEFAULT '',
  changed_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
  PRIMARY KEY (subject_id, name),
  FOREIGN KEY (subject_id) REFERENCES subjects (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
