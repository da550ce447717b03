"""Handing over: the mix of voice and picture's sound, and the list of what was written."""
