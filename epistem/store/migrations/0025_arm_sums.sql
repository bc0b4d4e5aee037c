CREATE TABLE arm_sums (
  trial_id       INT UNSIGNED NOT NULL,
  arm            SMALLINT UNSIGNED NOT NULL,
  answered       INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'readings with an answer',
  calls          INT UNSIGNED NOT NULL DEFAULT 0,
  input_tokens   BIGINT UNSIGNED NOT NULL DEFAULT 0,
  output_tokens  BIGINT UNSIGNED NOT NULL DEFAULT 0,
  cents          DOUBLE NOT NULL DEFAULT 0,
  estimated      INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'calls whose tokens the server did not tell',
  answered_ms    DOUBLE NOT NULL DEFAULT 0 COMMENT 'time of the readings with an answer',
  answered_tokens  BIGINT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'their output',
  PRIMARY KEY (trial_id, arm),
  FOREIGN KEY (trial_id) REFERENCES trials (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COMMENT 'kept as calls land, so that nothing has to be added up later';
