CREATE TABLE import_pieces (
  import_id  INT UNSIGNED NOT NULL,
  piece      SMALLINT UNSIGNED NOT NULL,
  content    MEDIUMBLOB NOT NULL COMMENT 'the file as it came, in order',
  PRIMARY KEY (import_id, piece),
  FOREIGN KEY (import_id) REFERENCES imports (id) ON DELETE CASCADE
);
