INSERT IGNORE INTO arm_sums (trial_id, arm, answered, calls, input_tokens, output_tokens, cents, answered_ms, answered_tokens)
SELECT trial_id, arm, SUM(error IS NULL), COUNT(*), SUM(input_tokens), SUM(output_tokens), SUM(cents),
       SUM(IF(error IS NULL, total_ms, 0)), SUM(IF(error IS NULL, output_tokens, 0))
  FROM readings GROUP BY trial_id, arm;
