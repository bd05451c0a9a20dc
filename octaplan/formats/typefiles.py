"""Hardware types as files: one JSON document each, in a folder."""

from __future__ import annotations

import json
from pathlib import Path

from pydantic import ValidationError

from octaplan.core.plan.hardware import HardwareType
from octaplan.core.values.errors import RefusedError

#: A type is a document of a few kilobytes; what is larger is none.
MOST_BYTES = 2_000_000


class TypeFileError(RefusedError):
    """A file that holds no hardware type."""


def read_types(folder: Path) -> dict[str, HardwareType]:
    """The hardware types of a folder by their keys; raises `TypeFileError` with what is wrong in which file."""
    if not folder.is_dir():
        raise TypeFileError(f"{folder} is no folder of hardware types")
    found: dict[str, HardwareType] = {}
    for path in sorted(folder.glob("*.json")):
        try:
            if path.stat().st_size > MOST_BYTES:
                raise TypeFileError(f"{path} is larger than a hardware type can be")
            kind = HardwareType.model_validate(json.loads(path.read_text("utf-8")))
        except (ValidationError, UnicodeDecodeError, RecursionError) as error:
            first = error.errors()[0] if isinstance(error, ValidationError) else None
            where = "/".join(map(str, first["loc"])) if first else "the file"
            told = first["msg"].removeprefix("Value error, ") if first else "it is not in UTF-8"
            raise TypeFileError(f"{path}, {where}: {told}") from None
        except json.JSONDecodeError as error:
            raise TypeFileError(f"{path}, line {error.lineno}: this is not JSON: {error.msg}") from None
        found[kind.key] = kind
    return found
