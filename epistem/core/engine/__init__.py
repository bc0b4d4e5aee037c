"""Programs that need the outside: generators that yield what they need and are sent what was given."""
