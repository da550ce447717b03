"""The state of a production that edits change, and the edits."""
