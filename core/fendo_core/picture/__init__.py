"""The picture: what a file is, its playable forms, and where its cuts are."""
