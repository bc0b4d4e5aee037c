CREATE TABLE findings (
  reading_id  BIGINT UNSIGNED NOT NULL,
  measure     SMALLINT UNSIGNED NOT NULL COMMENT 'index into the measures of the trial''s checks',
  trial_id    INT UNSIGNED NOT NULL,
  arm         SMALLINT UNSIGNED NOT NULL,
  case_at     INT UNSIGNED NOT NULL,
  passed      TINYINT NOT NULL,
  message     TEXT NOT NULL,
  spans       TEXT NULL COMMENT 'JSON list of [start, end, note]; null when there are none',
  PRIMARY KEY (reading_id, measure),
  KEY tally (trial_id, measure, arm, case_at, passed),
  FOREIGN KEY (reading_id) REFERENCES readings (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
