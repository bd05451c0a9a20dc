"""Makes the fonts of printed sheets from the web fonts: `python tools/fonts.py` (needs fonttools and brotli).

Latin and Latin Extended are joined, and the slashed zero is the only zero, since printed sheets have no features.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from fontTools.merge import Merger  # type: ignore[import-untyped]
from fontTools.ttLib import TTFont  # type: ignore[import-untyped]

ROOT = Path(__file__).parent.parent
WEB = ROOT / "frontend" / "node_modules" / "@fontsource"
TARGET = ROOT / "octaplan" / "formats" / "fonts"

FONTS = {
    "Text.ttf": ("atkinson-hyperlegible-next", 400),
    "TextBold.ttf": ("atkinson-hyperlegible-next", 700),
    "Mono.ttf": ("atkinson-hyperlegible-mono", 400),
}


def convert(family: str, weight: int, target: Path) -> None:
    with tempfile.TemporaryDirectory() as folder:
        parts = []
        for subset in ("latin", "latin-ext"):
            font = TTFont(WEB / family / "files" / f"{family}-{subset}-{weight}-normal.woff2")
            font.flavor = None
            zero = next((name for name in font.getGlyphOrder() if name in ("zero.zero", "zero.slash")), None)
            for table in font["cmap"].tables if zero else ():
                if 0x30 in table.cmap:
                    table.cmap[0x30] = zero
            for name in ("GSUB", "GPOS", "GDEF", "STAT"):
                if name in font:
                    del font[name]
            parts.append(f"{folder}/{subset}.ttf")
            font.save(parts[-1])
        Merger().merge(parts).save(target)


if __name__ == "__main__":
    TARGET.mkdir(exist_ok=True)
    for name, (family, weight) in FONTS.items():
        convert(family, weight, TARGET / name)
