"""Work in processes of its own, which are ended where it takes too long or too much memory."""
