"""What the parts of the grammar have in common: the place in the text, and the other parts."""

from typing import TYPE_CHECKING

from jalan.sql.grammar.token_stream import TokenStream

if TYPE_CHECKING:
    from jalan.sql.grammar.assembly import Grammar


class GrammarPart:
    """Reads one subject of the grammar.

    grammar: has the other parts.
    tokens: the place in the text, which all parts share.
    """

    grammar: "Grammar"
    tokens: TokenStream

    def __init__(self, grammar: "Grammar") -> None:
        self.grammar = grammar
        self.tokens = grammar.tokens
        self.dialect = grammar.dialect
