CREATE TABLE judgements (
  hash       BINARY(32)   NOT NULL COMMENT 'SHA-256 of what was asked: body and seed',
  entry_id   BIGINT       NOT NULL COMMENT 'the model as it was asked',
  reply      MEDIUMBLOB   NOT NULL,
  created_at DATETIME(3)  NOT NULL DEFAULT NOW(3),
  PRIMARY KEY (hash, entry_id)
) COMMENT 'What judging models replied, so that the same question is not paid for twice';
