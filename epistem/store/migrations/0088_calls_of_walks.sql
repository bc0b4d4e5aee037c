ALTER TABLE calls
  MODIFY path VARCHAR(300) CHARACTER SET ascii NOT NULL COMMENT 'its place in the program',
  ADD COLUMN walk_id BIGINT UNSIGNED NULL COMMENT 'or whose walk',
  ADD KEY by_walk (walk_id, id);
