"""What a use-case cannot answer."""


class NotFound(LookupError):
    """There is no such thing; the message says what was asked for."""
