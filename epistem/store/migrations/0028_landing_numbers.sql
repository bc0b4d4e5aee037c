ALTER TABLE trials ADD COLUMN landed INT UNSIGNED NOT NULL DEFAULT 0 COMMENT 'the number of the last reading that was recorded; never goes back';
