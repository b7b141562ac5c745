"""What a query means, apart from how it is written: two texts that mean the same have the same forms.

The same are: spaces, comments, the case of words, redundant parentheses; the names of aliases, of common table
expressions and of derived tables, and in which of these two a query stands; the order of conjuncts, of tables that
are joined inwardly, of the values of IN, of the two sides of ``=``, ``<>``, ``+``, ``*``; ``a > b`` and ``b < a``;
BETWEEN and two comparisons; IN with one value and ``=``; both ways to write a cast. All else is held to differ, so
that what is called the same is the same.
"""

from jalan.change.meaning.difference import QueryDifference, difference
from jalan.change.meaning.forms import Forms, FoundRelation, Meaning, Unclear
from jalan.change.meaning.queries import meaning

__all__ = ["Forms", "FoundRelation", "Meaning", "QueryDifference", "Unclear", "difference", "meaning"]
