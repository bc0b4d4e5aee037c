ALTER TABLE collections
  ADD COLUMN searched_by VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'memory' COMMENT 'where its index of words is: memory, database';
