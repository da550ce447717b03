"""Productions, folders, readers, and the edits that change them."""
