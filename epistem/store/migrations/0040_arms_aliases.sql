ALTER TABLE arms ADD COLUMN aliases TEXT NULL COMMENT 'JSON: inputs that its version asks for, and what they are called in the cases';
