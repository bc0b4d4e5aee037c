CREATE TABLE arms (
  trial_id    INT UNSIGNED NOT NULL,
  position    INT UNSIGNED NOT NULL,
  version_id  INT UNSIGNED NOT NULL,
  model       VARCHAR(80) NOT NULL,
  settings    LONGTEXT NOT NULL COMMENT 'as sent: the version''s with the arm''s over them',
  PRIMARY KEY (trial_id, position),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE,
  FOREIGN KEY (version_id) REFERENCES versions (id)
) DEFAULT CHARSET = utf8mb4;
