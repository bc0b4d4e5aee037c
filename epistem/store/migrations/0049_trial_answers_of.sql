ALTER TABLE trials ADD COLUMN answers_of INT UNSIGNED NULL COMMENT 'the trial whose recorded answers it judges anew; NULL where it asks for its own', ADD KEY answers_of (answers_of);
