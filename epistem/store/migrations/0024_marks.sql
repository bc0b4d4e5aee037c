CREATE TABLE marks (
  trial_id   INT UNSIGNED NOT NULL,
  arm        SMALLINT UNSIGNED NOT NULL,
  case_at    INT UNSIGNED NOT NULL,
  repeat_no  SMALLINT UNSIGNED NOT NULL,
  landed     INT UNSIGNED NOT NULL COMMENT 'its number in the order in which readings of the trial were recorded',
  packed     VARBINARY(60000) NOT NULL COMMENT 'see core/trials/marks.py',
  PRIMARY KEY (trial_id, arm, case_at, repeat_no),
  KEY by_landing (trial_id, landed),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
