"""What look-ups search, as it is kept: collections, their documents and passages, vectors, questions."""
