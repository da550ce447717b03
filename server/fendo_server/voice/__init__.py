"""What sounds for a line: recordings, comps, and the sound that is made of them."""
