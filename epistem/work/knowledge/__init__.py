"""What people do with collections: bring documents in, cut and change them, look passages up, measure that."""
