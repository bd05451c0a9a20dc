"""A walk through XML that somebody else wrote: nothing of it is kept, and nothing in it is fetched or expanded."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import IO
from xml.parsers import expat

from octaplan.formats.tables import TableError

#: What is done with the attributes of an element that begins; their names are with their namespace and a blank.
Begins = Callable[[dict[str, str]], None]
Ends = Callable[[], None]


def walk(
    stream: IO[bytes],
    begins: Mapping[str, Begins],
    ends: Mapping[str, Ends] | None = None,
    text: Callable[[str], None] | None = None,
) -> None:
    """Tell of elements as they begin and end, by their names without a namespace, and of all text.

    Raises `TableError` where it is no XML, or declares a document type of its own.
    """
    parser = expat.ParserCreate(namespace_separator=" ")
    parser.buffer_text = True

    def refuse(*_: object) -> None:
        raise TableError("it declares a document type of its own: save it anew from a spreadsheet")

    known: dict[str, Begins | None] = {}
    known_ends: dict[str, Ends | None] = {}

    def begun(name: str, attributes: dict[str, str]) -> None:
        if name not in known:
            known[name] = begins.get(name.rpartition(" ")[2])
        act = known[name]
        if act is not None:
            act(attributes)

    def ended(name: str) -> None:
        if name not in known_ends:
            known_ends[name] = (ends or {}).get(name.rpartition(" ")[2])
        act = known_ends[name]
        if act is not None:
            act()

    parser.StartDoctypeDeclHandler = refuse
    parser.StartElementHandler = begun
    parser.EndElementHandler = ended if ends else None
    parser.CharacterDataHandler = text
    try:
        parser.ParseFile(stream)
    except expat.ExpatError as error:
        raise TableError(f"it is damaged ({error}): save it anew from a spreadsheet") from None
