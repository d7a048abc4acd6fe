"""The colours desk: the picture's own colours and the customer's, what becomes of each, and what to put instead."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QAbstractSpinBox,
    QButtonGroup,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMenu,
    QSlider,
    QWidget,
)

from fidele.arrays import Codes
from fidele.artwork.replace import Replacement
from fidele.colour.words import colour_name
from fidele.dataclass import dataclass
from fidele.desk.desk import Desk
from fidele.desk.kit import across, down, fill
from fidele.desk.labels import button, clear, label
from fidele.desk.numbers import Decimal
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.theme import font, px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent, as_float, from_lab, lab_codes, to_lab
from fidele.language import named, tr
from fidele.proof.customer import TOLERANCE, CustomerColour, Held, held
from fidele.proof.losses import colours_of
from fidele.proof.nearest import VERDICTS
from fidele.proof.soft import show
from fidele.proof.typed import colour_written
from fidele.session.known_prints import MISSING
from fidele.session.model import Session
from fidele.session.news import ColoursChanged, News
from fidele.tiles import Progress

#: So many exact colours of flat graphics are listed.
_MOST = 24
_FLAVOURS = (named("least ΔE00"), named("same hue"), named("same lightness"))
#: Pixels that a nearest colour is wide.
_SWATCH = 54


@dataclass(frozen=True)
class Row:
    """A colour with what becomes of it; `values` are the artwork's own, where it is one of the picture's."""

    held: Held
    area: float = 0.0
    values: tuple[float, ...] = ()


class Swatches(QWidget):
    """The wanted colour with the printed one as a disc in its middle, and the nearest printable ones beside."""

    def __init__(self, row: Row, display: Profile | None) -> None:
        super().__init__()
        self._row = row
        Lab = [row.held.colour.Lab, row.held.printed, *(n.Lab for n in row.held.nearest)]
        shown = show(np.array(Lab, np.float32), display)
        self._colours = [QColor(int(r), int(g), int(b)) for r, g, b in shown]
        self.setFixedSize(px(60 + (_SWATCH + 4) * len(row.held.nearest)), px(46))
        self.setToolTip(tr("Wanted, with what the condition prints as a disc in it; then the nearest printable ones"))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(0, 0, px(52), px(46), self._colours[0])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self._colours[1])
            painter.drawEllipse(QRectF(px(13), px(10), px(26), px(26)))
            painter.setFont(font(8.0))
            for at, (near, colour) in enumerate(zip(self._row.held.nearest, self._colours[2:], strict=True)):
                x = px(62 + at * (_SWATCH + 4))
                painter.fillRect(x, 0, px(_SWATCH), px(28), colour)
                painter.setPen(self.palette().windowText().color())
                said = tr("ΔE00 {near:.1f}", near=near.de00)
                painter.drawText(QRectF(x, px(29), px(_SWATCH), px(17)), Qt.AlignmentFlag.AlignVCenter, said)
                painter.setPen(Qt.PenStyle.NoPen)


class ColoursDesk(Desk):
    """Lists colours, tells what each becomes, and replaces those of flat graphics in a copy."""

    station = "Colours"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        head.addWidget(button(tr("Back to the proof"), lambda: self.go.emit("Proof"), tr("The whole picture, printed")))
        self.box.addLayout(head)
        self.title.setText(tr("Colours that matter"))
        self.view = PictureView()
        self.view.setMinimumHeight(120)
        self.view.touched.connect(self._touched)
        self.view.setToolTip(tr("Touch a colour in the picture to take it into the list; drag to move, wheel to zoom"))
        fill(self.box, (self.view, 2), self._choice_row())
        self.inside = QWidget()
        self.rows = down(space=6, margins=(0, 0, 8, 0), on=self.inside)
        fill(self.box, (scrolled(self.inside), 3), self._entry_row())
        self._found: list[Row] = []
        self._found_for: tuple[object, ...] = ()
        self._shown_rows: object = None
        session.listen(self._heard)

    def _heard(self, news: News) -> None:
        if isinstance(news, ColoursChanged) and self.isVisible():
            self.refresh()

    def _choice_row(self) -> QHBoxLayout:
        row = across(space=8)
        self.own = button(tr("The picture's own"), self.refresh, tr("Exact colours of flat graphics"))
        self.listed = button(tr("The customer's"), self.refresh, tr("Colours to be held, whatever picture is in hand"))
        self._which = QButtonGroup(self)
        for made in (self.own, self.listed):
            made.setCheckable(True)
            self._which.addButton(made)
            row.addWidget(made)
        self.own.setChecked(True)
        row.addStretch()
        self.soft_label = label(tr("edges within"), 9.0, dim=True)
        row.addWidget(self.soft_label)
        self.soft = QSlider(Qt.Orientation.Horizontal)
        self.soft.setRange(0, 100)
        self.soft.setValue(40)
        self.soft.setFixedWidth(px(110))
        self.soft.setAccessibleName(tr("Softened edges follow within, percent of the scale"))
        self.soft.setToolTip(
            tr("Codes of softened edges are mixed of two colours; so near to the replaced one they follow")
        )
        self.soft.sliderReleased.connect(self._soften)
        row.addWidget(self.soft)
        self.back = button(tr("Put all back"), self._put_back, tr("The picture with its old colours"))
        row.addWidget(self.back)
        return row

    def _entry_row(self) -> QHBoxLayout:
        row = across(space=8)
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("Name"))
        self.name.setAccessibleName(tr("Name of the colour"))
        self.written = QLineEdit()
        self.written.setPlaceholderText("#00ded0, or 0,222,208, or lab:79,-46,-8")
        self.written.setAccessibleName(tr("The colour"))
        for made in (self.name, self.written):
            made.setFont(font(9))
            made.returnPressed.connect(self._add)
        row.addWidget(self.name, 1)
        row.addWidget(self.written, 2)
        row.addWidget(button(tr("Add to the customer's"), self._add, tr("As hex or RGB of sRGB, or as L*a*b* (D50)")))
        row.addWidget(
            button(
                tr("Import …"), lambda: self.pick.emit("colours"), tr("A list from CGATS, CxF or CSV; or drop it here")
            )
        )
        return row

    # What a person does ------------------------------------------------------------------------------------------

    def _add(self) -> None:
        if self.written.text().strip():
            self.listed.setChecked(True)
            self.guarded(self.session.customers.add, self.name.text().strip(), self.written.text())
            self.name.clear()
            self.written.clear()

    def _touched(self, column: int, row: int) -> None:
        artwork = self.session.artwork
        if artwork is None:
            return
        Lab = to_lab(np.ascontiguousarray(artwork.pixels[row : row + 1, column]), artwork.profile)[0]
        name = self.name.text().strip() or tr(
            "{colour_name} of {stem}", colour_name=colour_name(Lab), stem=artwork.path.stem
        )
        self.listed.setChecked(True)
        self.guarded(self.session.customers.add_lab, name, Lab)

    def instead(self, row: Row) -> list[tuple[str, Callable[[], object]]]:
        """Return what a colour of the picture can be replaced by: words and deed."""
        done: list[tuple[str, Callable[[], object]]] = [
            (
                tr("by the nearest, {flavour} (ΔE00 {de00:.1f})", flavour=tr(near.flavour), de00=near.de00),
                partial(self.replace, row, near.Lab),
            )
            for near in row.held.nearest
        ]
        done += [
            (tr("by the customer's “{name}”", name=c.name), partial(self.replace, row, c.Lab))
            for c in self.session.customers.colours[:12]
        ]
        done.append((tr("by a colour that I type …"), partial(self._typed, row)))
        return done

    def _typed(self, row: Row) -> None:
        text, sure = QInputDialog.getText(self, tr("Replace a colour"), "#rrggbb, or r,g,b, or lab:L,a,b")
        if sure and text.strip():
            self.guarded(lambda: self.replace(row, colour_written(text)))

    def replace(self, row: Row, Lab: Any) -> None:
        """Put another colour, by its L*a*b*, in the place of one of the picture's, in a copy."""
        piece = self.session.pieces.need()
        source, wanted = piece.artwork.profile, np.array(Lab, np.float32)[None]
        is_lab = source.header.colour_space == "Lab"
        new = lab_codes(wanted)[0] if is_lab else np.clip(from_lab(wanted, source), 0, 1)[0]
        # What is shown may itself stand in place of another colour: that one is replaced anew.
        before = next((r for r in piece.replacements if _same(r.instead, row.values)), None)
        first = before.wanted if before is not None else row.values
        rest = tuple(r for r in piece.replacements if r.wanted != first)
        change = Replacement(first, tuple(float(v) for v in new), self.soft.value() / 100)
        name = row.held.colour.name
        self.guarded(
            self.session.pieces.replace_colours,
            (*rest, change),
            tr("{name}{name2} is replaced", name=name[:1].upper(), name2=name[1:]),
        )

    def _soften(self) -> None:
        piece = self.session.pieces.current
        if piece is not None and piece.replacements:
            soft = self.soft.value() / 100
            changed = tuple(Replacement(r.wanted, r.instead, soft) for r in piece.replacements)
            self.guarded(
                self.session.pieces.replace_colours,
                changed,
                tr("Softened edges follow within {soft:.0f} %", soft=soft * 100),
            )

    def _put_back(self) -> None:
        self.guarded(self.session.pieces.replace_colours, (), tr("All colours are put back"))

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the picture and the list."""
        session = self.session
        artwork, printer, piece = session.artwork, session.shown_by, session.pieces.current
        self.view.theme = self.theme
        unknown = session.way[1] if session.card is not None else ""
        has = artwork is not None and printer is not None and session.card is not None and not unknown
        self.own.setEnabled(has)
        if not has or artwork is None or printer is None or piece is None:
            self.view.empty = tr("Once it is known how the picture prints, its colours are shown here.")
            self.view.set_picture(None)
            self._show_rows([])
            self.state.setText(
                tr("Open a picture first.")
                if artwork is None
                else unknown or tr("To look at colours, there must be {missing}.", missing=MISSING)
            )
            return
        replaced = bool(piece.replacements)
        for widget in (self.soft, self.soft_label):
            widget.setVisible(self.own.isChecked())
        self.back.setVisible(replaced)
        settings = session.proof_settings
        self.view.set_picture(session.laid, keep=True)
        if artwork.profile.channels == 3:
            link = session.looks.printed(artwork.profile, settings)
            teeth = [Tooth(tr("as printed"), link)]
            if replaced:
                teeth = [
                    Tooth(tr("before, as printed"), link, pixels=piece.opened.laid),
                    Tooth(tr("with the colours replaced, as printed"), link),
                ]
            self.view.set_teeth(teeth)
        key = (
            id(artwork.pixels),
            artwork.profile.content_id,
            printer.content_id,
            settings,
            self.own.isChecked(),
            session.customers.colours,
        )
        if key == self._found_for:
            self._show_rows(self._found)
            return
        self._found_for = key
        own, colours, pixels, source = self.own.isChecked(), session.customers.colours, artwork.laid, artwork.profile
        self.state.setText(tr("Looking at each colour …"))

        def compute(_told: Progress) -> list[Row]:
            if own:
                return _own_rows(pixels, source, printer, settings)
            return [Row(held(colour, printer, settings)) for colour in colours]

        self.work.quietly("colours", compute, partial(self._take, key))

    def _take(self, key: tuple[object, ...], rows: list[Row]) -> None:
        if key == self._found_for:
            self._found = rows
            self._show_rows(rows)

    def _show_rows(self, rows: list[Row]) -> None:
        state = (tuple(rows), self.theme.name, self.own.isChecked())
        self._say(rows)
        if state == self._shown_rows:
            return
        self._shown_rows = state
        clear(self.rows)
        for row in rows:
            self.rows.addWidget(self._tile(row))
        self.rows.addStretch()

    def _say(self, rows: list[Row]) -> None:
        if not self.session.artwork or self.session.shown_by is None:
            return
        if not rows:
            self.state.setText(
                tr("This picture has no exact colours: it is a photograph. Its losses are on the proof desk.")
                if self.own.isChecked()
                else tr("The list is empty: type a colour below, import a list, or touch one in the picture.")
            )
            return
        counts = {v: sum(r.held.verdict == v for r in rows) for v in ("holds", "close", "cannot be held")}
        parts = [f"{n} {_PLURAL[v] if n > 1 else VERDICTS[v]}" for v, n in counts.items() if n]
        worst = max(rows, key=lambda r: min((n.de00 for n in r.held.nearest), default=r.held.de00))
        said = f"{', '.join(parts)}."
        if worst.held.verdict != "holds":
            near = min((n.de00 for n in worst.held.nearest), default=worst.held.de00)
            said += tr(
                " Worst: {name}; nothing printable is nearer than ΔE00 {near:.1f}.",
                name=worst.held.colour.name,
                near=near,
            )
        self.state.setText(said)

    def _tile(self, row: Row) -> QWidget:
        made = QWidget()
        made.setObjectName("inside")
        box = across(Swatches(row, self.session.screen()), space=10, margins=(0, 2, 0, 2), on=made)
        words = down(space=1)
        share = tr("  {share:.1f} %", share=row.area * 100) if row.area else ""
        words.addWidget(label(f"{row.held.colour.name}{share}", 9.5, bold=True, wrap=True))
        words.addWidget(
            label(
                tr(
                    "{verdict}; printed ΔE00 {de00:.1f}: {words}",
                    verdict=VERDICTS[row.held.verdict],
                    de00=row.held.de00,
                    words=row.held.words,
                ),
                8.5,
                dim=True,
                wrap=True,
            )
        )
        nearest = label(_device_words(row.held), 8.5, dim=True, wrap=True)
        nearest.setToolTip(_device_tip(row.held))
        words.addWidget(nearest)
        box.addLayout(words, 1)
        if row.values:
            choose = button(tr("Replace …"), lambda: None, tr("Put a printable colour in its place, in a copy"))
            menu = QMenu(choose)
            for text, call in self.instead(row):
                menu.addAction(text, call)
            choose.setMenu(menu)
            box.addWidget(choose)
        else:
            limit = Decimal()
            limit.setFont(font(9))
            limit.setRange(0.5, 20)
            limit.setSingleStep(0.5)
            limit.setDecimals(1)
            limit.setPrefix(tr("within "))
            limit.setValue(row.held.colour.tolerance)
            limit.setKeyboardTracking(False)
            limit.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
            limit.setAccessibleName(tr("Tolerance of {name}, ΔE00", name=row.held.colour.name))
            limit.setToolTip(tr("How far off it may be, in ΔE00"))
            limit.valueChanged.connect(partial(self._limit, row.held.colour.name))
            box.addWidget(limit)
            box.addWidget(
                button(
                    tr("Remove"),
                    partial(self.session.customers.remove, row.held.colour.name),
                    tr("Off the list"),
                    quiet=True,
                )
            )
        made.setAccessibleName(f"{row.held.colour.name}: {VERDICTS[row.held.verdict]}, {row.held.words}")
        return made

    def _limit(self, name: str, value: float) -> None:
        self.guarded(self.session.customers.set_tolerance, name, value)

    def facts(self) -> list[tuple[str, str]]:
        """Return what the verdicts mean."""
        return [
            (tr("holds"), tr("within its tolerance")),
            (tr("close"), tr("within twice its tolerance")),
            (tr("cannot be held"), tr("nothing printable is near")),
            (tr("Swatches"), tr("wanted with printed in it; then {flavours}", flavours=", ".join(map(tr, _FLAVOURS)))),
            (tr("Compared"), tr("media-relative, ΔE00")),
        ]


_PLURAL = {"holds": tr("hold"), "close": tr("are close"), "cannot be held": tr("cannot be held")}


def _own_rows(pixels: Codes, source: Profile, printer: Profile, settings: Any) -> list[Row]:
    """Return the exact colours of flat graphics, largest first; none of a photograph."""
    colours, share = colours_of(pixels)
    exact = share >= 0.002
    if exact.sum() > 40 or float(share[exact].sum()) < 0.7:
        return []
    order = np.flatnonzero(exact)[np.argsort(-share[exact])][:_MOST]
    rows = []
    for place in order:
        Lab = to_lab(colours[place][None], source, Intent.RELATIVE)[0]
        if Lab[0] > 99.9 and np.abs(Lab[1:]).max() < 0.5:
            continue  # white is bare substrate
        colour = CustomerColour(colour_name(Lab), (float(Lab[0]), float(Lab[1]), float(Lab[2])), TOLERANCE)
        rows.append(
            Row(held(colour, printer, settings), float(share[place]), tuple(float(v) for v in as_float(colours[place])))
        )
    return rows


def _same(one: tuple[float, ...], other: tuple[float, ...]) -> bool:
    return len(one) == len(other) and max(abs(a - b) for a, b in zip(one, other, strict=True)) < 1 / 255


def _device_words(found: Held) -> str:
    if not found.nearest:
        return tr("no nearest values for this kind of printer")
    values = " ".join(f"{v * 255:.0f}" for v in found.nearest[0].device)
    return tr("nearest: device {values}, {words}", values=values, words=found.nearest[0].words)


def _device_tip(found: Held) -> str:
    return "\n".join(
        tr(
            "{flavour}: ΔE00 {de00:.1f}, {words}; device {value}",
            flavour=tr(n.flavour),
            de00=n.de00,
            words=n.words,
            value=" ".join(f"{v * 255:.0f}" for v in n.device),
        )
        for n in found.nearest
    )
