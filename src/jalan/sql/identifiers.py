"""Names in dialects that keep the case of a name as written and compare names without it.

Compiled code (``make compiled``) compares two values that it knows to be ``str`` by their characters. Where one may
be such a name, one side is declared ``object``, so that the name itself is asked.
"""


class Name(str):
    """A name that equals every spelling of itself: ``Name("Port") == Name("PORT")``, in dictionaries too.

    It meets only other names of the same script; what leaves extraction is plain text again (``str(name)``).

    >>> {Name("Port"): 1}[Name("PORT")], str(Name("Port"))
    (1, 'Port')
    """

    __slots__ = ("_folded",)

    _folded: str

    def __new__(cls, text: str) -> "Name":
        made = super().__new__(cls, text)
        made._folded = text.lower()
        return made

    def __hash__(self) -> int:
        return hash(self._folded)

    def __eq__(self, other: object) -> bool:
        if type(other) is Name:
            return self._folded == other._folded
        return isinstance(other, str) and self._folded == other.lower()

    def __ne__(self, other: object) -> bool:
        return not self == other
