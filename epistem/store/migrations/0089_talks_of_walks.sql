ALTER TABLE walks
  ADD COLUMN goes_out BOOLEAN NOT NULL DEFAULT FALSE COMMENT 'whether what it sends, and tools that change something, are let out',
  ADD COLUMN played LONGBLOB NULL COMMENT 'JSON: the case whose person is played in its talk; without one a real person talks';
