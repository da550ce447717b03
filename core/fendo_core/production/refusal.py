"""What an edit answers that can't be done."""


class EditRefused(ValueError):
    """An edit that cannot be done; the message says why and what is possible."""
