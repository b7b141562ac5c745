"""What the parts of the grammar have in common: the tokens, and the other parts."""

from typing import TYPE_CHECKING

from jalan.sql.grammar.token_stream import TokenStream

if TYPE_CHECKING:
    from jalan.sql.grammar.assembly import Grammar


class GrammarPart:
    """Reads one subject of the grammar. ``tokens`` is the place in the text, which all parts share; ``grammar`` has
    the other parts.

    ``keys``, ``kinds``, ``starts``, ``ends``, ``text`` and ``written`` are those of the tokens, at hand."""

    grammar: "Grammar"
    tokens: TokenStream

    def __init__(self, grammar: "Grammar") -> None:
        tokens = grammar.tokens
        self.grammar = grammar
        self.tokens = tokens
        self.dialect = tokens.dialect
        self.text = tokens.text
        self.keys = tokens.keys
        self.kinds = tokens.kinds
        self.starts = tokens.starts
        self.ends = tokens.ends
        self.written = tokens.written
