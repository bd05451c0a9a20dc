"""Writes what was measured: the tables of `docs/performance.md` and the chart beside them."""

from __future__ import annotations

import platform
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import matplotlib as mpl

mpl.use("svg")
from matplotlib import pyplot as plt

DOCS = Path(__file__).parent.parent / "docs"
BEGIN, END = "<!-- measured: begin -->", "<!-- measured: end -->"

LINES = (
    ("whole", "Octaplan: every rule, findings out", "#0B5A63", "-"),
    ("ncls all", "compiled nested containment list: pairs", "#B86E00", "--"),
    ("tree all", "interval tree: pairs", "#3C5A73", ":"),
    ("sweep", "sweep with ipaddress: pairs", "#A3271F", "-."),
    ("sort packed", "np.sort of the claims as 64-bit words", "#5B6A6E", ":"),
)


def write(
    folder: Path,
    rows: list[dict[str, Any]],
    trouble: list[tuple[str, float, int]],
    room: list[tuple[str, float, float, float]],
    mending: tuple[float, int],
    command_line: tuple[float, float, float],
) -> None:
    """Put tables and chart into the page of a folder."""
    for row in rows:
        row["ncls all"] = row["ncls build"] + row["ncls"]
        row["tree all"] = row["tree build"] + row["tree"] if "tree" in row else None
    page = (folder / "performance.md").read_text()
    head, _, rest = page.partition(BEGIN)
    _, _, tail = rest.partition(END)
    parts = [_when(), _whole(rows), _drafts(rows), _other(rows, trouble, room, mending, command_line)]
    (folder / "performance.md").write_text(head + BEGIN + "\n" + "\n\n".join(parts) + "\n" + END + tail)
    _draw(folder, rows)


def _when() -> str:
    return (
        f"Measured by `make bench` on {datetime.now(UTC):%Y-%m-%d}, {platform.machine()}, two cores, Python "
        f"{platform.python_version()}. A number in brackets is the ratio to Octaplan's own."
    )


def _ms(value: float | None, own: float | None = None) -> str:
    if value is None:
        return "–"
    text = f"{value / 1000:,.2f} s" if value >= 1000 else f"{value:.1f} ms" if value >= 10 else f"{value:.2f} ms"
    if not own:
        return text
    ratio = value / own
    return f"{text} ({ratio:.0f}×)" if ratio >= 10 else f"{text} ({ratio:.2g}×)"


def _table(head: list[str], rows: list[list[str]]) -> str:
    lines = [head, ["---"] + ["---:"] * (len(head) - 1), *rows]
    return "\n".join("| " + " | ".join(line) + " |" for line in lines)


def _whole(rows: list[dict[str, Any]]) -> str:
    head = ["whole check", *(f"{row['sites']:,} sites" for row in rows)]
    lines = [
        ["segments", *(f"{row['segments']:,}" for row in rows)],
        ["claims", *(f"{row['claims']:,}" for row in rows)],
        ["planted mistakes found", *(f"{row['planted'] - row['missed']} of {row['planted']}" for row in rows)],
        ["`stop`s on a clean portfolio", *(str(row["stops on clean"]) for row in rows)],
        ["**Octaplan, every rule, findings out**", *(f"**{_ms(row['whole'])}**" for row in rows)],
        ["compiled package, overlapping pairs: building", *(_ms(row["ncls build"], row["whole"]) for row in rows)],
        ["compiled package, overlapping pairs: listing", *(_ms(row["ncls"], row["whole"]) for row in rows)],
        ["interval tree, overlapping pairs", *(_ms(row["tree all"], row["whole"]) for row in rows)],
        ["sweep with `ipaddress`, overlapping pairs", *(_ms(row.get("sweep"), row["whole"]) for row in rows)],
        ["`np.sort` of the claims as they stand", *(_ms(row["sort"], row["whole"]) for row in rows)],
        ["`np.sort` of the claims as 64-bit words", *(_ms(row["sort packed"], row["whole"]) for row in rows)],
        ["memory of the process with plans and claims", *(f"{row['memory']:,.0f} MB" for row in rows)],
    ]
    return _table(head, lines)


def _drafts(rows: list[dict[str, Any]]) -> str:
    head = ["one site against all others", *(f"{row['sites']:,} sites" for row in rows)]
    lines = [
        ["**every rule, median**", *(f"**{_ms(row['draft'])}**" for row in rows)],
        ["every rule, 99th percentile", *(_ms(row["draft p99"]) for row in rows)],
        ["only what leads to other sites, median", *(_ms(row["draft across"]) for row in rows)],
        ["only what leads to other sites, 99th percentile", *(_ms(row["draft across p99"]) for row in rows)],
        ["compiled package, pairs of the site's claims", *(_ms(row["ncls one"], row["draft"]) for row in rows)],
        ["interval tree, pairs of the site's claims", *(_ms(row.get("tree one"), row["draft"]) for row in rows)],
        ["a changed site put into the index", *(_ms(row["put"]) for row in rows)],
    ]
    return _table(head, lines)


def _other(
    rows: list[dict[str, Any]],
    trouble: list[tuple[str, float, int]],
    room: list[tuple[str, float, float, float]],
    mending: tuple[float, int],
    command_line: tuple[float, float, float],
) -> str:
    tables = [
        _table(
            ["portfolios that are nothing but trouble", "whole check", "findings"],
            [[words, _ms(spent), f"{number:,}"] for words, spent, number in trouble],
        ),
        _table(
            ["first free subnet", "Octaplan", "scanning with `ipaddress`", "asking an interval tree"],
            [[words, _ms(own), _ms(scan, own), _ms(tree, own)] for words, own, scan, tree in room],
        ),
    ]
    seconds, memory, size = command_line
    return "\n\n".join(tables) + (
        f"\n\nRemedies of a finding, worked out and each tried against 10,000 sites: {_ms(mending[0])} a finding, over "
        f"{mending[1]} findings.\n\n`octaplan check` of 10,000 sites in tables ({size:.0f} MB): {seconds:.1f} s whole "
        f"process, {memory:,.0f} MB at most."
    )


def _draw(folder: Path, rows: list[dict[str, Any]]) -> None:
    plt.rcParams.update({"font.family": "sans-serif", "svg.hashsalt": "octaplan"})
    figure, axes = plt.subplots(figsize=(8, 4.5))
    for name, words, colour, style in LINES:
        points = [(row["claims"], row[name]) for row in rows if row.get(name) is not None]
        axes.plot(*zip(*points, strict=True), style, color=colour, marker="o", markersize=4, label=words)
    axes.set(xscale="log", yscale="log", xlabel="claims", ylabel="milliseconds")
    axes.grid(visible=True, color="#D9D5C9", linewidth=0.6)
    axes.legend(fontsize=8, frameon=False)
    figure.tight_layout()
    figure.savefig(folder / "performance.svg", metadata={"Date": None})
