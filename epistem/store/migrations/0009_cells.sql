CREATE TABLE cells (
  id        BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  trial_id  INT UNSIGNED NOT NULL,
  arm       SMALLINT UNSIGNED NOT NULL,
  case_at   INT UNSIGNED NOT NULL,
  repeat_no SMALLINT UNSIGNED NOT NULL,
  seed      INT UNSIGNED NOT NULL,
  state     ENUM('waiting', 'claimed', 'recorded') NOT NULL DEFAULT 'waiting',
  owner     VARCHAR(60) CHARACTER SET ascii NULL,
  KEY to_claim (trial_id, state, id),
  UNIQUE KEY by_place (trial_id, arm, case_at, repeat_no),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4;
