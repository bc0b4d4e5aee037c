CREATE TABLE tool_answers (
  trial_id  INT UNSIGNED NOT NULL,
  digest    BINARY(32) NOT NULL COMMENT 'of the tool and the arguments',
  result    MEDIUMTEXT NOT NULL COMMENT 'JSON: what it answered the first time',
  PRIMARY KEY (trial_id, digest),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
