INSERT INTO calls (cell_id, path, body_id, reply, input_tokens, output_tokens, cents, attempts, started_at, total_ms, error)
SELECT r.cell_id, '0.1', b.id, r.reply, r.input_tokens, r.output_tokens, r.cents, r.attempts, r.started_at, r.total_ms, r.error
  FROM readings r JOIN bodies b ON b.hash = UNHEX(SHA2(r.request, 256))
 WHERE NOT EXISTS (SELECT 1 FROM calls c WHERE c.cell_id = r.cell_id) ORDER BY r.id;
