"""What can be done with flows: adding one to another, taking a part, copying."""

from jalan.lineage.model import IDENTITY, VALUE_RANK
from jalan.lineage.resolve.scope import Flow, Made, Mark


def merge(target: Flow, source: Flow) -> None:
    """Add one flow to another as it is."""
    for key, spans in source.items():
        present = target.get(key)
        if present is None:
            target[key] = dict(spans)
        else:
            present.update(spans)


def carry(target: Flow, source: Flow, how: str, mark: Mark | None = None) -> None:
    """Add what flows into a made column to a flow in which that column is used in the manner of ``how``, or a part
    of that column (``mark``)."""
    rank = VALUE_RANK.get(how)
    for (table, column, inner), spans in source.items():
        used = how if rank is None or VALUE_RANK[inner] < rank else inner
        key = (table, column, used)
        if mark is not None:
            spans = {span: _deeper(inner_mark, mark, inner) for span, inner_mark in spans.items()}
        present = target.get(key)
        if present is None:
            target[key] = dict(spans)
        else:
            present.update(spans)


def _deeper(inner: Mark | None, outer: Mark, how: str) -> Mark:
    """The mark of a part of a part. A computed value's parts are not those of the column that it is made of."""
    if inner is None:
        return outer if how == IDENTITY else ("", outer[1])
    return (join_path(inner[0], outer[0]), inner[1] or outer[1])


def column_of_star(name: str, star: Made) -> Made:
    """Return the column of that name behind the star of a table whose columns are not known."""
    values: Flow = {(t, name if c == "*" else c, how): dict(spans) for (t, c, how), spans in star.values.items()}
    return Made(name, values, star.conditions, star.span)


def join_path(first: str, then: str) -> str:
    """Return the path of ``then`` inside ``first``.

    >>> join_path("legs", "[0]"), join_path("legs[0]", "port")
    ('legs[0]', 'legs[0].port')
    """
    if not first or not then:
        return first or then
    return first + then if then.startswith("[") else f"{first}.{then}"


def copy_flow(flow: Flow) -> Flow:
    """Return a flow that can be added to without touching the first."""
    return {key: dict(spans) for key, spans in flow.items()}


def path_of(written: str) -> str:
    """Return a step into a document in one spelling.

    >>> path_of("'$.legs[0].port'"), path_of("0"), path_of("'{legs,port}'")
    ('legs[0].port', '[0]', 'legs.port')
    """
    if written.isdigit():
        return f"[{written}]"
    step = written.strip("'\"").removeprefix("lax ").removeprefix("strict ").removeprefix("$").removeprefix(".")
    if step.startswith("{") and step.endswith("}"):
        step = step[1:-1].replace(",", ".")
    return step
