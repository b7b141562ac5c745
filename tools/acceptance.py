"""Measure what we read against what PostgreSQL reads: what it accepts and we refuse, what it refuses and we accept.

    python -m tools.acceptance [--seed 5] [--show 20]

PostgreSQL's own parser, through ``pglast``, says what is a statement. The accepted ones are those of the tests
and, where they are installed, those of its extensions; the wrong ones are made of them by one change of a token at
a seed: left out, doubled, replaced or added. Example::

    $ python -m tools.acceptance
    accepted by PostgreSQL    4276   refused here       0
    refused by PostgreSQL     2962   refused here    2793   94.3%
"""

import argparse
import random
import re
from collections.abc import Iterator
from pathlib import Path

import pglast
from tests.core.corpus import cases
from tests.core.test_postgresql_commands import COMMANDS

from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.lexer import tokenize

ACCEPTED = Path(__file__).parents[1] / "tests" / "accepted" / "postgresql.sql"
INSTALLED = Path("/usr/share/postgresql")
_WORDS = "select from where table ( ) , ; . = 1 'x' a to on set values as and not null foo".split()
_CHANGES = 6  # of each statement
_POSTGRESQL = get_dialect("postgresql")


def is_accepted(sql: str) -> bool:
    """Whether PostgreSQL's parser reads a text."""
    try:
        pglast.parser.parse_sql_json(sql)
    except pglast.parser.ParseError:
        return False
    return True


def is_read(sql: str) -> bool:
    """Whether we read a text."""
    return not any(isinstance(found, Unread) for found in parse(sql, _POSTGRESQL))


def statements() -> list[str]:
    """Return statements of the tests that PostgreSQL accepts, in order, each once."""
    found = [line.removesuffix(";") for line in ACCEPTED.read_text().splitlines()]
    for case in cases("postgresql"):
        found += pglast.split(case.sql) if is_accepted(case.sql) else []
    return [sql for sql in dict.fromkeys(found + COMMANDS) if sql.strip() and is_accepted(sql)]


def installed() -> Iterator[str]:
    """Yield the statements of the extensions and catalogues that an installed server brings."""
    for path in sorted(INSTALLED.glob("*/**/*.sql")):
        text = re.sub(r"^\\.*$", "", path.read_text(errors="replace"), flags=re.MULTILINE)
        yield from (part for part in re.split(r";[ \t]*\n", text) if part.strip() and is_accepted(part))


def mistakes(accepted: list[str], seed: int) -> Iterator[str]:
    """Yield texts that PostgreSQL refuses: statements with one token left out, doubled, replaced or added."""
    chance = random.Random(seed)
    for sql in accepted:
        tokens = tokenize(sql, _POSTGRESQL)
        written = [tokens.written(i) for i in range(len(tokens.kinds) - 1)]
        for _ in range(_CHANGES):
            changed, at = list(written), chance.randrange(len(written))
            word = chance.choice(_WORDS)
            put = chance.choice([[], [written[at]] * 2, [word], [word, written[at]]])
            changed[at : at + 1] = put
            text = " ".join(changed)
            if text.strip() and not is_accepted(text):
                yield text


def main() -> None:
    """Print both figures and, if asked, examples."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--seed", type=int, default=5, help="of the changes (5)")
    arguments.add_argument("--show", type=int, default=0, help="examples of each kind to print (0)")
    given = arguments.parse_args()
    own = statements()
    accepted = list(dict.fromkeys([*own, *installed()]))
    lost = [sql for sql in accepted if not is_read(sql)]
    wrong = list(mistakes(own, given.seed))
    unseen = [sql for sql in wrong if is_read(sql)]
    refused = len(wrong) - len(unseen)
    print(f"accepted by PostgreSQL  {len(accepted):6}   refused here  {len(lost):6}")
    print(f"refused by PostgreSQL   {len(wrong):6}   refused here  {refused:6}   {refused / len(wrong):.1%}")
    for title, examples in (("lost", lost), ("unseen", unseen)):
        for sql in examples[: given.show]:
            print(f"{title}: {' '.join(sql.split())[:160]}")


if __name__ == "__main__":
    main()
