ALTER TABLE readings
  DROP COLUMN id, DROP KEY cell_id, ADD PRIMARY KEY (cell_id), DROP KEY by_landing, ADD KEY by_trial (trial_id),
  DROP COLUMN arm, DROP COLUMN case_at, DROP COLUMN repeat_no, DROP COLUMN request, DROP COLUMN reply,
  DROP COLUMN input_tokens, DROP COLUMN output_tokens, DROP COLUMN cents, DROP COLUMN attempts,
  DROP COLUMN started_at, DROP COLUMN total_ms, DROP COLUMN judged, DROP COLUMN failed;
