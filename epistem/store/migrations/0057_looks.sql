CREATE TABLE looks (
  id        INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  trial_id  INT UNSIGNED NOT NULL,
  looked_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  looked_by VARCHAR(80) NOT NULL,
  why       VARCHAR(400) NOT NULL,
  KEY of_trial (trial_id, id),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COMMENT 'each look at the results of cases held out';
