"""Fendo's rules and computation: arrays and values in, arrays and values out.

No interface, no web framework, no database. One folder a room of the interface, and what the rooms share:
`timebase` (positions), `audio` (sound files and levels), `production` (the state that edits change), `reader`
(the simulated narrator).
"""
