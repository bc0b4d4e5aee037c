UPDATE models SET answered_at = NOW(3)
 WHERE built_in
    OR name IN (SELECT a.model FROM arms a JOIN arm_sums s ON s.trial_id = a.trial_id AND s.arm = a.position WHERE s.answered > 0);
