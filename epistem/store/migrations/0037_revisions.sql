ALTER TABLE subjects
  ADD COLUMN about_revision INT UNSIGNED NOT NULL DEFAULT 1 COMMENT 'of what the desk says of it',
  ADD COLUMN checks_revision INT UNSIGNED NOT NULL DEFAULT 1;
