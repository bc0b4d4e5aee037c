CREATE TABLE tries (
  id            BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  subject_id    INT UNSIGNED NOT NULL,
  content_id    INT UNSIGNED NOT NULL,
  asked         LONGBLOB NOT NULL COMMENT 'JSON: inputs, turns, case, model, settings, seed',
  answered      LONGBLOB NOT NULL COMMENT 'JSON: the answer with its request, timing, usage and findings',
  model         VARCHAR(80) NOT NULL,
  first_words   VARCHAR(200) NOT NULL DEFAULT '' COMMENT 'of the answer, for a list',
  passed        BOOLEAN NOT NULL,
  tried_at      DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY newest (subject_id, id),
  FOREIGN KEY (subject_id) REFERENCES subjects (id),
  FOREIGN KEY (content_id) REFERENCES tried_contents (id)
) DEFAULT CHARSET = utf8mb4;
