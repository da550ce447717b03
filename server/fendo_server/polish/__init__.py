"""Polish: what is suspicious in what sounds, mends and treatments."""
