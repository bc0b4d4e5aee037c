CREATE TABLE fragment_versions (
  fragment_id  INT UNSIGNED NOT NULL,
  number       INT UNSIGNED NOT NULL,
  text         MEDIUMTEXT NOT NULL,
  note         VARCHAR(500) NOT NULL DEFAULT '',
  created_at   DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (fragment_id, number),
  FOREIGN KEY (fragment_id) REFERENCES fragments (id)
) DEFAULT CHARSET = utf8mb4;
