CREATE TABLE probations (
  criterion VARCHAR(40) CHARACTER SET ascii NOT NULL COMMENT 'digest of the criterion with its known answers',
  entry_id  BIGINT       NOT NULL COMMENT 'the model as it was asked',
  said      LONGTEXT     NOT NULL COMMENT 'JSON: [known, given, reason] for each known answer',
  tested_at DATETIME(3)  NOT NULL DEFAULT NOW(3),
  PRIMARY KEY (criterion, entry_id)
) COMMENT 'How judging models did on answers whose scores are known';
