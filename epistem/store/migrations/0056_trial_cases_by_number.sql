ALTER TABLE trial_cases ADD INDEX by_number (number, trial_id);
