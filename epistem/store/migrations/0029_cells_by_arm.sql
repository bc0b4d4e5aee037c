ALTER TABLE cells DROP KEY to_claim, ADD KEY to_claim (trial_id, state, arm, id);
