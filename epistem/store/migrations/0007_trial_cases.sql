CREATE TABLE trial_cases (
  trial_id  INT UNSIGNED NOT NULL,
  position  INT UNSIGNED NOT NULL,
  number    INT UNSIGNED NOT NULL COMMENT 'the case''s number in its subject',
  content   LONGTEXT NOT NULL COMMENT 'as it was when the trial was made',
  PRIMARY KEY (trial_id, position),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
