"""Recording: what a take is called, where its samples lie in the programme, and what its level should be."""
