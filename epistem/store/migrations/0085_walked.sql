CREATE TABLE walked (
  cell_id    BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  trial_id   BIGINT UNSIGNED NOT NULL,
  arm        SMALLINT UNSIGNED NOT NULL,
  ended      VARCHAR(10) NOT NULL COMMENT 'done, or how else',
  failed_at  VARCHAR(300) NOT NULL DEFAULT '' COMMENT 'place in the chain of the step where it ended',
  failed_step VARCHAR(80) NOT NULL DEFAULT '' COMMENT 'its name',
  steps      INT UNSIGNED NOT NULL,
  rounds     INT UNSIGNED NOT NULL COMMENT 'of loops, together',
  calls      INT UNSIGNED NOT NULL,
  told       LONGBLOB NOT NULL COMMENT 'JSON: each step, long values cut',
  KEY by_trial (trial_id, arm),
  FOREIGN KEY (cell_id) REFERENCES cells (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'the walks that readings of chains took';
