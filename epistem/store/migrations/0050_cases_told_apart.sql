ALTER TABLE cases
  ADD COLUMN asked BINARY(32) NULL COMMENT 'SHA-256 of inputs and turns',
  ADD COLUMN case_key VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL COMMENT 'what it is called where it came from',
  ADD COLUMN owner VARCHAR(400) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL COMMENT 'in small letters',
  ADD COLUMN origin VARCHAR(1000) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL COMMENT 'in small letters',
  ADD COLUMN has SMALLINT UNSIGNED NULL COMMENT 'see core/cases/filters.py',
  ADD INDEX cases_asked (subject_id, asked),
  ADD INDEX cases_keyed (subject_id, case_key);
