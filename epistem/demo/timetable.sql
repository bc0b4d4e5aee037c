-- The timetable of Skerry Line, which is invented: a boat a row.
CREATE TABLE days (day TEXT PRIMARY KEY, place INTEGER);
INSERT INTO days VALUES ('Monday', 1), ('Tuesday', 2), ('Wednesday', 3), ('Thursday', 4), ('Friday', 5), ('Saturday', 6),
  ('Sunday', 7);
CREATE TABLE piers (pier TEXT PRIMARY KEY, step_free INTEGER, waiting_room INTEGER);
INSERT INTO piers VALUES ('Hollin', 1, 1), ('Sandray', 1, 0), ('Ness Point', 0, 0), ('Carrick Bay', 1, 1),
  ('Little Orm', 0, 0);
CREATE TABLE runs (leaves_from TEXT, goes_to TEXT, leaves TEXT, arrives TEXT, boat TEXT, from_day INTEGER, to_day INTEGER);
INSERT INTO runs VALUES
  ('Hollin', 'Sandray', '07:10', '07:50', 'Merganser', 1, 5), ('Hollin', 'Sandray', '12:30', '13:10', 'Merganser', 1, 7),
  ('Hollin', 'Sandray', '17:40', '18:20', 'Merganser', 1, 6), ('Sandray', 'Hollin', '08:00', '08:40', 'Merganser', 1, 5),
  ('Sandray', 'Hollin', '13:20', '14:00', 'Merganser', 1, 7), ('Sandray', 'Hollin', '18:30', '19:10', 'Merganser', 1, 6),
  ('Hollin', 'Carrick Bay', '09:00', '10:15', 'Goldeneye', 1, 7), ('Carrick Bay', 'Hollin', '10:30', '11:45', 'Goldeneye', 1, 7),
  ('Hollin', 'Carrick Bay', '15:00', '16:15', 'Goldeneye', 1, 6), ('Carrick Bay', 'Hollin', '16:30', '17:45', 'Goldeneye', 1, 6),
  ('Carrick Bay', 'Ness Point', '11:00', '11:30', 'Merganser', 5, 7), ('Ness Point', 'Carrick Bay', '11:45', '12:15', 'Merganser', 5, 7),
  ('Sandray', 'Little Orm', '09:30', '10:00', 'Merganser', 1, 6), ('Little Orm', 'Sandray', '16:50', '17:20', 'Merganser', 1, 6);
CREATE TABLE sailings (leaves_from TEXT, goes_to TEXT, day TEXT, leaves TEXT, arrives TEXT, boat TEXT, adult_fare REAL);
INSERT INTO sailings
  SELECT leaves_from, goes_to, day, leaves, arrives, boat, CASE WHEN 'Carrick Bay' IN (leaves_from, goes_to) THEN 12.5 ELSE 9.0 END
    FROM runs JOIN days ON place BETWEEN from_day AND to_day ORDER BY place, leaves, leaves_from;
DROP TABLE runs;
DROP TABLE days;
