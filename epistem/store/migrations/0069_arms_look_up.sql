ALTER TABLE arms ADD COLUMN look_ups TEXT NULL COMMENT 'JSON: how each input is looked up, with the version of the collection';
