CREATE TABLE tool_versions (
  tool_id     INT UNSIGNED NOT NULL,
  number      INT UNSIGNED NOT NULL,
  content     LONGTEXT NOT NULL COMMENT 'JSON: the tool',
  note        VARCHAR(500) NOT NULL DEFAULT '',
  created_at  DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  saved_by    VARCHAR(80) NOT NULL DEFAULT '',
  PRIMARY KEY (tool_id, number),
  FOREIGN KEY (tool_id) REFERENCES tools (id)
) DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin;
