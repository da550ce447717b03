"""The demo productions: a scenario as text, and the generators that make its film, sound and readings."""
