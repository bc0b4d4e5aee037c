CREATE TABLE found (
  cell_id    BIGINT UNSIGNED NOT NULL,
  turn       SMALLINT UNSIGNED NOT NULL COMMENT 'of the talk, from 0',
  input      VARCHAR(80) NOT NULL,
  looking    TEXT NOT NULL COMMENT 'JSON: how it was looked up, with the version of the collection',
  question   TEXT NOT NULL,
  passages   TEXT NOT NULL COMMENT 'JSON: reference, score, places in the rankings and whether it stands beside',
  PRIMARY KEY (cell_id, turn, input),
  FOREIGN KEY (cell_id) REFERENCES cells (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'passages that went into the requests of a reading';
