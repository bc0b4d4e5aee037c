UPDATE trials t SET landed = (SELECT COALESCE(MAX(m.landed), 0) FROM marks m WHERE m.trial_id = t.id);
