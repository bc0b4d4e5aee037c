CREATE TABLE source_pieces (
  hash     BINARY(32) NOT NULL COMMENT 'of the whole file',
  piece    SMALLINT UNSIGNED NOT NULL,
  content  MEDIUMBLOB NOT NULL,
  PRIMARY KEY (hash, piece)
) COMMENT 'attached files, each once';
