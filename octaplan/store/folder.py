"""The data folder: its owner's alone, however it and its files came to be.

DataFolderError       the data folder cannot be used
"""

from __future__ import annotations

import os
import stat
from pathlib import Path

from octaplan.core.values.errors import RefusedError

_OTHERS = stat.S_IRWXG | stat.S_IRWXO


class DataFolderError(RefusedError):
    """The data folder cannot be used."""


def make_private(folder: Path) -> list[str]:
    """Make the folder and take from others what they may read or write in it; says what was mended.

    From here on this process makes files that are its owner's alone. Raises `DataFolderError` when the folder is
    somebody else's, is a link, or cannot be made.
    """
    os.umask(_OTHERS)
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise DataFolderError(f"{folder} cannot be used as data folder: {error.strerror}") from None
    return [told for path in (folder, *sorted(folder.rglob("*"))) if (told := _mended(path))]


def _mended(path: Path) -> str:
    try:
        state = path.lstat()
        if stat.S_ISLNK(state.st_mode) or not state.st_mode & _OTHERS:
            return ""
        path.chmod(stat.S_IMODE(state.st_mode) & ~_OTHERS)
    except FileNotFoundError:
        return ""
    except OSError:
        raise DataFolderError(
            f"{path} can be read by others and belongs to somebody else: make it yours, or choose another data folder"
        ) from None
    return f"{path} could be read by others: it is its owner's alone now"
