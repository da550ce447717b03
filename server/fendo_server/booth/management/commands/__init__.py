"""Commands of the Booth."""
