CREATE TABLE vectors (
  model   VARCHAR(80) NOT NULL,
  hash    BINARY(32) NOT NULL COMMENT 'SHA-256 of the text',
  vector  BLOB NOT NULL COMMENT 'little-endian 32-bit floats of length 1 together',
  PRIMARY KEY (model, hash)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin COMMENT 'of passages and of questions, made once';
