ALTER TABLE cases MODIFY has INT UNSIGNED NULL COMMENT 'see core/cases/filters.py';
