"""What tools do, as far as it needs nothing of the outside: addresses, statements, sums, what is told of a reply."""
