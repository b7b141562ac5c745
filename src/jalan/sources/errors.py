"""What goes wrong while reading a source."""


class SourceError(ValueError):
    """The source cannot be read; the message says where and what to do."""


class FileError(SourceError):
    """A file is not as it should be: ``path:line: what was expected``."""

    def __init__(self, path: object, line: int, message: str) -> None:
        super().__init__(f"{path}:{line}: {message}")
        self.path = str(path)
        self.line = line
        self.message = message
