"""Printed pages as PDF: the engineer's site sheet, the installer's page, labels, and the credential sheet."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import astuple, dataclass
from functools import cache
from pathlib import Path
from textwrap import wrap
from typing import Any
from urllib.parse import quote
from xml.sax.saxutils import escape

import segno
from reportlab.graphics.barcode import code128
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, KeepTogether, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from octaplan.core.plan.boxes import interfaces, named, own_address
from octaplan.core.plan.device import DeviceRole, PortMode
from octaplan.core.plan.hardware import HardwareType
from octaplan.core.plan.organisation import UNDECIDED, Organisation
from octaplan.core.plan.passwords import spoken
from octaplan.core.plan.site import SitePlan
from octaplan.core.stage.installer import InstallerPage
from octaplan.core.stage.settings import settings_of
from octaplan.core.stage.sitesheet import SheetRow, carried, site_sheet

FONTS = Path(__file__).parent / "fonts"

INK, QUIET, LINE = HexColor("#1E2A2E"), HexColor("#4B595D"), HexColor("#C9C4B6")

LABEL_SIZE = (100 * mm, 50 * mm)


@dataclass(frozen=True, slots=True)
class Heading:
    """What stands at the top of every sheet."""

    customer: str
    status: str
    revision: int


@cache
def _styles() -> dict[str, ParagraphStyle]:
    for name in ("Text", "TextBold", "Mono"):
        pdfmetrics.registerFont(TTFont(name, str(FONTS / f"{name}.ttf")))
    text = ParagraphStyle("text", fontName="Text", fontSize=10, leading=13.5, textColor=INK)
    return {
        "text": text,
        "quiet": ParagraphStyle("quiet", text, textColor=QUIET, fontSize=9, leading=12),
        "mono": ParagraphStyle("mono", text, fontName="Mono", fontSize=10.5),
        "big": ParagraphStyle("big", text, fontName="Mono", fontSize=15, leading=20),
        "title": ParagraphStyle("title", text, fontName="TextBold", fontSize=18, leading=22),
        "part": ParagraphStyle("part", text, fontName="TextBold", fontSize=12, leading=15, spaceBefore=9, spaceAfter=3),
        "plain": ParagraphStyle("plain", text, fontSize=12.5, leading=18),
    }


def _p(text: object, style: str = "text") -> Paragraph:
    return Paragraph(escape(str(text)), _styles()[style])


def _document(story: Sequence[Any], title: str, foot: str) -> bytes:
    target = io.BytesIO()
    styles = _styles()

    def footer(canvas: Canvas, document: SimpleDocTemplate) -> None:
        canvas.setFont("Text", 8)
        canvas.setFillColor(styles["quiet"].textColor)
        canvas.drawString(18 * mm, 10 * mm, foot)
        canvas.drawRightString(A4[0] - 18 * mm, 10 * mm, f"page {document.page}")

    document = SimpleDocTemplate(
        target,
        pagesize=A4,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=15 * mm,
        bottomMargin=18 * mm,
        title=title,
    )
    document.build(list(story), onFirstPage=footer, onLaterPages=footer)
    return target.getvalue()


def _head(plan: SitePlan, heading: Heading, what: str) -> list[Any]:
    left = [_p(heading.customer), _p(plan.name or plan.site, "title"), _p(f"{plan.customer}/{plan.site}", "mono")]
    right = [_p(what, "part"), _p(heading.status), _p(f"Revision {heading.revision}", "quiet")]
    table = Table([[left, right]], colWidths=[112 * mm, 62 * mm])
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 1, INK),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
            ]
        )
    )
    return [table, Spacer(1, 3 * mm)]


def _pairs(rows: Iterable[SheetRow]) -> Table:
    """Labels and values in two columns of pairs; what is not known yet says so."""
    cells = [
        [_p(row.label, "quiet"), _p(row.text, "mono") if row.text else _p("not known yet", "quiet")] for row in rows
    ]
    half = (len(cells) + 1) // 2
    lines = [cells[i] + (cells[half + i] if half + i < len(cells) else [_p(""), _p("")]) for i in range(half)]
    table = Table(lines, colWidths=[27 * mm, 60 * mm, 27 * mm, 60 * mm])
    table.setStyle(
        TableStyle(
            [
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 1),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 1),
            ]
        )
    )
    return table


def _grid(
    header: Sequence[str], rows: Iterable[Sequence[object]], widths: Sequence[float], mono: Sequence[int] = ()
) -> Table:
    cells = [[_p(name, "quiet") for name in header]]
    cells += [[_p(cell, "mono" if place in mono else "text") for place, cell in enumerate(row)] for row in rows]
    table = Table(cells, colWidths=[width * mm for width in widths], repeatRows=1)
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("LEFTPADDING", (0, 0), (-1, -1), 0),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
                ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )
    return table


def print_site_sheet(
    plan: SitePlan, heading: Heading, hardware: Mapping[str, HardwareType], organisation: Organisation = UNDECIDED
) -> bytes:
    """The engineer's sheet: every value to type, and no secrets."""
    sheet = site_sheet(plan, hardware, organisation)
    story = [*_head(plan, heading, "Site sheet"), _pairs(sheet.facts)]
    for part in sheet.parts:
        title = f"{part.title}, {part.about}" if part.about else part.title
        story.append(KeepTogether([_p(title, "part"), _pairs(part.rows)]))
        if part.hosts:
            hosts = [(h.name, "  ".join(h.addresses) or "not known yet", h.mac, h.method, h.port) for h in part.hosts]
            story.append(
                _grid(("Fixed host", "Address", "MAC", "Address is", "Hangs on"), hosts, (42, 34, 36, 20, 42), (1, 2))
            )
        if part.ports:
            ports = [(port.name, port.mode, port.carries, port.cable) for port in part.ports]
            story.append(_grid(("Port", "Mode", "Carries", "Cable"), ports, (22, 22, 90, 40), (0,)))
    code = f"{plan.customer}/{plan.site}"
    return _document(
        story, f"Site sheet {code}", f"Site sheet of {code}, revision {heading.revision}. No secrets on this page."
    )


def installer_sheet(
    plan: SitePlan, heading: Heading, page: InstallerPage, hardware: Mapping[str, HardwareType]
) -> bytes:
    """The installer's page, in plain words."""
    story = _head(plan, heading, "Installer's page")
    where = page.place or plan.street
    story += [_p(f"Where: {where}", "plain")] if where else []
    boxes = [(box.name, box.looks, box.where or "as agreed on site", box.power) for box in page.boxes]
    story += [_p("1. Unpack", "part"), _grid(("Label", "It is", "Goes to", "Power"), boxes, (38, 50, 36, 50))]
    story.append(_p("2. Plug in, in this order; the power comes last", "part"))
    if plan.devices:
        story.append(Wiring(plan, hardware))
    rows = [(number, c.box, c.port, c.goes_to, c.cable or "any that fits") for number, c in enumerate(page.cables, 1)]
    story.append(_grid(("", "Box", "Port", "The other end goes into", "Cable"), rows, (8, 46, 20, 66, 34), (2,)))
    if page.sockets:
        story += [_p("Free for people to plug in", "part")]
        story.append(_grid(("Box", "Ports", "For"), map(astuple, page.sockets), (60, 50, 64), (1,)))
    if page.leave_empty:
        story += [_p("Leave empty", "part"), *(_p(line) for line in page.leave_empty)]
    if page.lights:
        story += [
            _p("3. Switch the power on, wait five minutes, then look at the lights", "part"),
            _grid(("Box", "Light", "Should be"), map(astuple, page.lights), (60, 40, 74)),
        ]
    if page.tests:
        tests = [(number, test.text, "yes / no") for number, test in enumerate(page.tests, 1)]
        story += [_p("4. Try it", "part"), _grid(("", "Does it work?", ""), tests, (8, 136, 30))]
    story += [_p("If it is not so, ring", "part"), *(_p(line, "plain") for line in page.call or ["your technician"])]
    if plan.technician:
        story.append(_p(f"Your technician: {plan.technician}", "plain"))
    code = f"{plan.customer}/{plan.site}"
    return _document(
        story, f"Installer's page {code}", f"{code}, revision {heading.revision}. No secrets on this page."
    )


@dataclass(frozen=True, slots=True)
class Label:
    """What stands on the label of one box: no secrets. `code` is what its QR code says, host name and revision;
    `serial` its serial number or asset tag, which is also a barcode (Code 128, ISO/IEC 15417)."""

    name: str
    site: str
    address: str
    ports: list[str]
    serial: str
    code: str


def label_texts(plan: SitePlan, revision: int) -> list[Label]:
    """The labels of a site, one for each box that comes to the bench."""
    found = []
    for key, device in plan.devices.items():
        if device.staged:
            ports = [
                f"{port.name}  {carried(port, most=2)}"
                for port in settings_of(plan, key).ports
                if port.mode is not PortMode.UNUSED
            ]
            site = f"{plan.customer}/{plan.site}  {plan.name or ''}".rstrip()
            own = [interface.address for interface in interfaces(plan, device) if interface.owner.startswith("/segm")]
            managed = {access.segment for access in device.access.values()}
            first = next((own_address(plan, device, one) for one in device.carried() if one in managed), None)
            address = str(first or next(iter(own), ""))
            serial = (device.serial or device.asset_tag or "")[:24]
            found.append(Label(named(device), site, address, ports, serial, f"{named(device)} r{revision}"))
    return found


def barcode(text: str) -> str:
    """A text as Code 128 (ISO/IEC 15417), an SVG picture as a data URI; empty for what the code cannot say."""
    if not text.isascii() or not text.isprintable():
        return ""
    bars = code128.Code128(text, barWidth=1, barHeight=30, humanReadable=False, quiet=False)
    bars.validate()
    bars.encode()
    bars.decompose()
    x, shapes = 0, []
    for dark, width in _bars(bars.decomposed):
        if dark:
            shapes.append(f'<rect x="{x}" width="{width}" height="30"/>')
        x += width
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {x} 30" preserveAspectRatio="none">'
    return "data:image/svg+xml," + quote(f"{head}{''.join(shapes)}</svg>")


def _bars(decomposed: str) -> Iterator[tuple[bool, int]]:
    """Bars and gaps with their widths in modules; a bar is written as a capital letter, a gap as a small one."""
    for letter in decomposed:
        yield letter.isupper(), ord(letter.lower()) - ord("a") + 1


def labels(plan: SitePlan, revision: int, support: str = "") -> bytes:
    """One label a box, 100 by 50 mm: host name, site, ports, whom to call, a QR code of host name and revision."""
    _styles()
    target = io.BytesIO()
    canvas = Canvas(target, pagesize=LABEL_SIZE)
    canvas.setTitle(f"Labels {plan.customer}/{plan.site}")
    texts = label_texts(plan, revision)
    for label in texts:
        _label(canvas, label, revision, support)
    if not texts:
        canvas.setFont("Text", 11)
        canvas.drawString(6 * mm, 25 * mm, "No box to label yet: add one on Devices")
        canvas.showPage()
    canvas.save()
    return target.getvalue()


def _label(canvas: Canvas, label: Label, revision: int, support: str) -> None:
    size = min(17.0, 17.0 * 58 * mm / max(1.0, pdfmetrics.stringWidth(label.name, "TextBold", 17)))
    canvas.setFont("TextBold", size)
    canvas.drawString(5 * mm, 41 * mm, label.name)
    canvas.setFont("Text", 9)
    canvas.drawString(5 * mm, 36.5 * mm, label.site[:44])
    canvas.setFont("Mono", 9)
    canvas.drawString(5 * mm, 32.4 * mm, label.address)
    canvas.setFont("Mono", 7)
    for number, line in enumerate(label.ports[:6]):
        canvas.drawString(5 * mm, (28.6 - 3 * number) * mm, line[:38])
    if len(label.ports) > 6:
        canvas.drawString(5 * mm, 10.6 * mm, f"and {len(label.ports) - 6} ports more: see the site sheet")
    if label.serial and label.serial.isascii() and label.serial.isprintable():
        bars = code128.Code128(label.serial, barWidth=0.27 * mm, barHeight=5.5 * mm, humanReadable=False, quiet=False)
        bars.drawOn(canvas, 5 * mm, 4 * mm)
        canvas.setFont("Mono", 6.5)
        canvas.drawString(5 * mm, 1.6 * mm, label.serial)
    matrix = list(segno.make(label.code, error="m", micro=False).matrix_iter(border=0))
    cell = 26 * mm / len(matrix)
    for y, row in enumerate(matrix):
        for x, dark in enumerate(row):
            if dark:
                canvas.rect(69 * mm + x * cell, 44 * mm - (y + 1) * cell, cell * 1.02, cell * 1.02, stroke=0, fill=1)
    canvas.setFont("Text", 7)
    canvas.drawString(69 * mm, 14 * mm, f"revision {revision}")
    for number, line in enumerate(wrap(support, 24)[:3]):
        canvas.drawString(69 * mm, (10 - 3 * number) * mm, line)
    canvas.showPage()


class Wiring(Flowable):  # type: ignore[misc]
    """The boxes with the ports that are used, and the cables between them, as one would see them on the wall."""

    BOX, GAP, PORT = 17 * mm, 9 * mm, 12.5 * mm

    def __init__(self, plan: SitePlan, hardware: Mapping[str, HardwareType]) -> None:
        super().__init__()
        self.plan = plan
        order = sorted(plan.devices, key=lambda key: list(DeviceRole).index(plan.devices[key].role))
        self.rows = [(key, self._ports(key, hardware)) for key in order]
        self.width = 174 * mm
        self.height = len(self.rows) * (self.BOX + self.GAP) + 8 * mm

    def _ports(self, key: str, hardware: Mapping[str, HardwareType]) -> list[str]:
        device = self.plan.devices[key]
        kind = hardware.get(device.type)
        known = list(kind.ports) if kind else list(device.ports)
        used = {name for name, use in device.ports.items() if use.mode is not PortMode.UNUSED}
        return [name for name in known if name in used][:10]

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        return self.width, self.height

    def draw(self) -> None:
        canvas = self.canv
        places: dict[tuple[str, str], tuple[float, float]] = {}
        for number, (key, ports) in enumerate(self.rows):
            top = self.height - 8 * mm - number * (self.BOX + self.GAP)
            canvas.setStrokeColor(INK)
            canvas.setLineWidth(0.8)
            canvas.roundRect(0, top - self.BOX, self.width, self.BOX, 3, fill=0)
            canvas.setFillColor(INK)
            canvas.setFont("TextBold", 10)
            canvas.drawString(3 * mm, top - 8 * mm, named(self.plan.devices[key])[:22])
            canvas.setFont("Text", 8)
            canvas.drawString(3 * mm, top - 12.5 * mm, self.plan.devices[key].role.words)
            for place, name in enumerate(ports):
                x = 46 * mm + place * self.PORT
                canvas.rect(x, top - 11 * mm, 8 * mm, 7 * mm, fill=0)
                canvas.setFont("Mono", 8)
                canvas.drawCentredString(x + 4 * mm, top - 15 * mm, name[:7])
                places[(key, name)] = (x + 4 * mm, top)
        self._cables(places)

    def _cables(self, places: Mapping[tuple[str, str], tuple[float, float]]) -> None:
        canvas = self.canv
        canvas.setLineWidth(1.6)
        drawn: set[frozenset[tuple[str, str]]] = set()
        for (key, name), (x, top) in places.items():
            use = self.plan.devices[key].ports[name]
            if use.mode is PortMode.CIRCUIT:
                circuit = self.plan.circuits.get(use.circuit or "")
                canvas.line(x, top - 4 * mm, x, top + 4 * mm)
                canvas.setFont("Text", 8)
                canvas.drawString(
                    x + 1.5 * mm, top + 2.2 * mm, f"from {circuit.provider or circuit.label}" if circuit else ""
                )
            far = (use.peer or "", use.peer_port or "")
            if far in places and frozenset({(key, name), far}) not in drawn:
                drawn.add(frozenset({(key, name), far}))
                (x1, y1), (x2, y2) = sorted([(x, top), places[far]], key=lambda at: -at[1])
                y1 -= 11 * mm
                y2 -= 4 * mm
                middle = (y1 + y2) / 2
                canvas.bezier(x1, y1, x1, middle - 3 * mm, x2, middle + 3 * mm, x2, y2)


@dataclass(frozen=True, slots=True)
class SheetSecret:
    """A secret on the credential sheet: what it is, its text, and where and as whom one logs in with it."""

    name: str
    secret: str
    where: str


def credential_sheet(plan: SitePlan, heading: Heading, secrets: Sequence[SheetSecret], by: str) -> bytes:
    """Every secret of a site, large and spelled out. Only ever made on explicit request."""
    story = _head(plan, heading, "Credential sheet")
    story += [
        _p(
            f"CONFIDENTIAL. Asked for by {by}, and noted in the journal. Keep it apart from the boxes; destroy it "
            "after use.",
            "part",
        ),
        Spacer(1, 3 * mm),
    ]
    for one in secrets:
        lines = [_p(one.name, "part"), *([_p(one.where)] if one.where else [])]
        story.append(KeepTogether([*lines, _p(one.secret, "big"), _p(", ".join(spoken(one.secret)), "quiet")]))
    if not secrets:
        story.append(_p("No secret is in the safe for this site yet."))
    code = f"{plan.customer}/{plan.site}"
    return _document(story, f"Credential sheet {code}", f"Credentials of {code}. Confidential.")
