CREATE TABLE passages (
  version_id  INT UNSIGNED NOT NULL COMMENT 'of the document',
  position    INT UNSIGNED NOT NULL,
  number      INT UNSIGNED NOT NULL COMMENT 'by which it is referred to: stays while its text does',
  hash        BINARY(32) NOT NULL COMMENT 'SHA-256 of its text',
  title       VARCHAR(400) NOT NULL DEFAULT '',
  path        TEXT NOT NULL COMMENT 'JSON: the titles of the headings over it',
  start       INT UNSIGNED NOT NULL,
  stop        INT UNSIGNED NOT NULL,
  lead        INT UNSIGNED NOT NULL COMMENT 'where it is told from: before start where it overlaps, behind it where it begins with headings',
  content     MEDIUMTEXT NOT NULL,
  PRIMARY KEY (version_id, position),
  KEY (version_id, number),
  KEY (hash),
  FOREIGN KEY (version_id) REFERENCES document_versions (id) ON DELETE CASCADE
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
