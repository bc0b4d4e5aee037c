ALTER TABLE walks
  ADD COLUMN instead LONGBLOB NULL COMMENT 'JSON: what the step at from_step writes without being done',
  ADD COLUMN inherited LONGBLOB NULL COMMENT 'JSON: edits and instead by place, of the walks that it replays in turn',
  ADD COLUMN alone BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'whether only the step at from_step of of_walk is walked';
