CREATE TABLE model_turns (
  model    VARCHAR(80) NOT NULL PRIMARY KEY,
  free_at  DATETIME(6) NOT NULL COMMENT 'when the next call may begin, by what its server allows a minute'
) DEFAULT CHARSET = utf8mb4;
