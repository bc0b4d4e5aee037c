INSERT IGNORE INTO bodies (hash, content) SELECT UNHEX(SHA2(request, 256)), request FROM readings;
