"""What a use-case cannot answer."""


class NotFound(LookupError):
    """There is no such thing; the message says what was asked for."""


class Conflict(ValueError):
    """What is asked for contradicts what is there; the message says what, and what to do."""


class Invalid(ValueError):
    """What was given is not as it should be; the message says where and what is allowed."""
