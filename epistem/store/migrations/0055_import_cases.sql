CREATE TABLE import_cases (
  import_id  INT UNSIGNED NOT NULL,
  case_id    INT UNSIGNED NOT NULL,
  line       INT UNSIGNED NOT NULL,
  was        INT UNSIGNED NULL COMMENT 'its revision before; none of a new one',
  became     INT UNSIGNED NOT NULL,
  PRIMARY KEY (import_id, case_id),
  FOREIGN KEY (import_id) REFERENCES imports (id) ON DELETE CASCADE,
  FOREIGN KEY (case_id) REFERENCES cases (id) ON DELETE CASCADE
);
