"""MariaDB: the only place where SQL is written. One module a thing kept."""
