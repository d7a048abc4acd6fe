"""The tuning desk: chroma, greys, tones and hues by hand, with the print beside, and the price of each move."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QSignalBlocker, Qt, QTimer
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSlider, QVBoxLayout, QWidget

from fidele.colour.cie import lab_to_lch
from fidele.colour.words import FAMILIES, HUES
from fidele.desk.desk import Desk
from fidele.desk.kit import across, choice, down, fill
from fidele.desk.labels import button, folding, label, section
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.theme import px
from fidele.desk.work import Work
from fidele.icc.transform import to_lab
from fidele.judge.finding import Action, Deed
from fidele.language import tr
from fidele.proof.price import Price, price_of
from fidele.proof.soft import ProofSettings
from fidele.session.known_prints import MISSING
from fidele.session.looks import Show
from fidele.session.model import Session
from fidele.tiles import Progress
from fidele.tuning.model import Region, Tuning

_GREYS = {
    "as they are": tr("greys as they are"),
    "neutral": tr("monochrome, neutral"),
    "toned": tr("monochrome, toned"),
}


class TuningDesk(Desk):
    """Shows the print untuned and tuned side by side while sliders move."""

    station = "Tuning"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        head.addWidget(button(tr("Back to the proof"), lambda: self.go.emit("Proof"), tr("The whole picture, printed")))
        self.box.addLayout(head)
        self.title.setText(tr("Tune the picture"))
        self.view = PictureView()
        self.view.setToolTip(tr("Touch a colour to choose its hue region; drag to move, wheel to zoom"))
        self.view.touched.connect(self._touched)
        self.box.addWidget(self.view, 1)
        self.price = label("", 9.0, bold=True, wrap=True)
        self.box.addWidget(self.price)
        self.ways = QWidget()
        row = across(space=8, margins=(0, 0, 0, 0), on=self.ways)
        convert, bake = Action(Deed.FIDELE_CONVERT), Action(Deed.BAKE)
        self.convert = button(
            tr("Let Fidele convert"), lambda: self.acted.emit(convert), tr("The tuning is printed as shown")
        )
        row.addWidget(self.convert)
        row.addWidget(
            button(
                tr("Work it into what is sent"),
                lambda: self.acted.emit(bake),
                tr("The owner gets the picture tuned already"),
            )
        )
        row.addStretch()
        self.ways.setVisible(False)
        self.box.addWidget(self.ways)
        self.sliders: dict[str, QSlider] = {}
        self._values: dict[str, QLabel] = {}
        columns = across((self._chroma_column(), 1), (self._tones_column(), 1), (self._hue_column(), 1), space=22)
        fill(self.box, columns, self._name_row())
        self._before: Tuning | None = None
        self._dragging = False
        self._price: Price | None = None
        self._price_for: tuple[object, ...] = ()
        self._later = QTimer(self, singleShot=True, interval=150)
        self._later.timeout.connect(self._want_price)

    # Making ------------------------------------------------------------------------------------------------------

    def _slider(self, grid: QGridLayout, key: str, title: str, low: int, high: int, tip: str) -> None:
        row = grid.rowCount()
        made = QSlider(Qt.Orientation.Horizontal)
        made.setRange(low, high)
        made.setAccessibleName(title)
        made.setToolTip(tip)
        value = label("0", 9.0)
        value.setFixedWidth(px(34))
        value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        name = label(title, 9.0)
        name.setMinimumWidth(76)
        grid.addWidget(name, row, 0)
        grid.addWidget(made, row, 1)
        grid.addWidget(value, row, 2)
        made.valueChanged.connect(partial(self._moved, key))
        made.sliderPressed.connect(self._begin)
        made.sliderReleased.connect(self._finish)
        self.sliders[key], self._values[key] = made, value

    @staticmethod
    def _column(title: str) -> tuple[QVBoxLayout, QGridLayout]:
        box = down(section(title), space=3)
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        box.addLayout(grid)
        return box, grid

    def _chroma_column(self) -> QVBoxLayout:
        box, grid = self._column(tr("Chroma and greys"))
        self._slider(
            grid,
            "lift",
            tr("Chroma lift"),
            0,
            100,
            tr("Dull colours come nearer to the purest that the piece holds; greys and skin-like colours stay"),
        )
        self.greys = choice(
            tr("Greys"), tip=tr("Monochrome through the profile: neutral on the piece, not in the numbers")
        )
        for key, words in _GREYS.items():
            self.greys.addItem(words, key)
        self.greys.activated.connect(lambda i: self._set(greys=self.greys.itemData(i)))
        grid.addWidget(self.greys, grid.rowCount(), 0, 1, 3)
        self._slider(grid, "tone_hue", tr("Tone"), 0, 360, tr("Hue angle of the tone: 40 is sepia-like, 270 blue"))
        self._slider(grid, "tone_chroma", tr("its strength"), 0, 40, tr("Chroma of the tone at middle lightness"))
        box.addStretch()
        return box

    def _tones_column(self) -> QVBoxLayout:
        box, grid = self._column(tr("Tones"))
        for key, title, tip in (
            ("shadows", tr("Shadows"), tr("L* by which tones around 25 get lighter")),
            ("middle", tr("Middle"), tr("L* by which tones around 50 get lighter")),
            ("lights", tr("Lights"), tr("L* by which tones around 75 get lighter")),
            ("contrast", tr("Contrast"), tr("Below the middle darker, above it lighter, in percent")),
        ):
            self._slider(grid, key, title, -30, 30, tip)
        box.addStretch()
        return box

    def _hue_column(self) -> QVBoxLayout:
        box, grid = self._column(tr("One hue"))
        self.hue = choice(tr("Hue region"), tip=tr("Choose it here, or touch it in the picture"))
        for name, angle in HUES:
            self.hue.addItem(FAMILIES[name], float(angle))
        self.hue.activated.connect(lambda _: self._show_region())
        grid.addWidget(self.hue, grid.rowCount(), 0, 1, 3)
        self._slider(grid, "turn", tr("Turn"), -30, 30, tr("Degrees, from red towards yellow and green"))
        self._slider(grid, "chroma", tr("Chroma"), -100, 100, tr("Percent"))
        self._slider(grid, "lightness", tr("Lightness"), -30, 30, "L*")
        box.addStretch()
        return box

    def _name_row(self) -> QHBoxLayout:
        row = across(space=8)
        self.name = choice(
            tr("Name of the tuning"),
            tip=tr("Take a kept tuning, or give this one a name and keep it"),
            chosen=lambda _: self._take_kept(),
        )
        self.name.setEditable(True)
        self.name.setMinimumWidth(px(130))
        edit = self.name.lineEdit()
        if edit is not None:
            edit.setPlaceholderText(tr("Name, to keep it"))
        row.addWidget(self.name)
        row.addWidget(button(tr("Keep"), self._keep, tr("Keep it under this name, for other pictures")))
        row.addWidget(button(tr("Forget"), self._forget, tr("Take the kept tuning of this name away"), quiet=True))
        row.addStretch()
        self.others = folding(tr("Apply to all open"), self._give_all, tr("Every picture in hand gets this tuning"))
        row.addWidget(self.others)
        self.rest = button(tr("Reset"), lambda: self._finish_with(None), tr("No tuning"))
        row.addWidget(self.rest)
        return row

    # What a person does ------------------------------------------------------------------------------------------

    @property
    def tuning(self) -> Tuning:
        """The tuning of the picture in hand; one that does nothing where it has none."""
        piece = self.session.pieces.current
        return piece.tuning if piece is not None and piece.tuning is not None else Tuning()

    @property
    def _angle(self) -> float:
        return float(self.hue.currentData())

    def _region(self) -> Region:
        return next((r for r in self.tuning.regions if r.hue == self._angle), Region(hue=self._angle))

    def _moved(self, key: str, value: int) -> None:
        if key in ("turn", "chroma", "lightness"):
            region = self._region().model_copy(update={key: float(value)})
            others = tuple(r for r in self.tuning.regions if r.hue != region.hue)
            changes: dict[str, Any] = {"regions": (*others, region) if region.moves else others}
        else:
            changes = {key: value / 100 if key == "lift" else float(value)}
        self._set(**changes)

    def _set(self, **changes: Any) -> None:
        if self.session.pieces.current is None:
            return
        tuning = self.tuning.model_copy(update=changes)
        if self._dragging:
            self.session.pieces.try_out(tuning=tuning if tuning.moves else None)
            self._show_live()
        else:
            self._finish_with(tuning)

    def _begin(self) -> None:
        piece = self.session.pieces.current
        self._dragging, self._before = True, piece.tuning if piece is not None else None

    def _finish(self) -> None:
        """Make one step of a whole drag."""
        if not self._dragging:
            return
        self._dragging = False
        after = self.tuning
        self.session.pieces.try_out(tuning=self._before)
        self._finish_with(after)

    def _finish_with(self, tuning: Tuning | None) -> None:
        self.guarded(self.session.pieces.tune, tuning)
        self.refresh()

    def _touched(self, column: int, row: int) -> None:
        artwork = self.session.artwork
        if artwork is None:
            return
        Lab = to_lab(np.ascontiguousarray(artwork.pixels[row : row + 1, column]), artwork.profile).astype(float)
        angle = float(lab_to_lch(Lab)[0, 2])
        near = min(range(len(HUES)), key=lambda i: abs((HUES[i][1] - angle + 180) % 360 - 180))
        self.hue.setCurrentIndex(near)
        self._show_region()

    def _take_kept(self) -> None:
        kept = self.session.pieces.tunings.all().get(self.name.currentText())
        if kept is not None:
            self._finish_with(kept)

    def _keep(self) -> None:
        def keep() -> None:
            made = self.tuning.model_copy(update={"name": self.name.currentText().strip()})
            self.session.pieces.keep_tuning(made)
            self.session.say(tr("“{name}” is kept, for other pictures and for the shell (--tune).", name=made.name))

        self.guarded(keep)
        self.refresh()

    def _forget(self) -> None:
        name = self.name.currentText().strip()
        if self.guarded(self.session.pieces.forget_tuning, name):
            self.session.say(tr("“{name}” is forgotten; pictures that have it keep it.", name=name))
        self.refresh()

    def _give_all(self) -> None:
        self.guarded(self.session.pieces.tune_all, self.tuning)

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the picture and its tuning."""
        session = self.session
        self.view.theme = self.theme
        unknown = session.way[1] if session.card is not None else ""
        ready = (
            session.artwork is not None and session.shown_by is not None and session.card is not None and not unknown
        )
        for control in (*self.sliders.values(), self.greys, self.hue, self.name, self.others, self.rest):
            control.setEnabled(ready)
        if not ready:
            self.view.empty = unknown or self._missing()
            self.view.set_picture(None)
            self.view.set_teeth([])
            self.price.setText("")
            self.state.setText("")
            return
        self.others.setVisible(len(session.pieces.all) > 1)
        self.view.set_picture(session.laid, keep=True)
        tuning = self.tuning
        for key in ("shadows", "middle", "lights", "contrast", "tone_hue", "tone_chroma"):
            self._put(key, round(getattr(tuning, key)))
        self._put("lift", round(tuning.lift * 100))
        with QSignalBlocker(self.greys):
            self.greys.setCurrentIndex(list(_GREYS).index(tuning.greys))
        for key in ("tone_hue", "tone_chroma"):
            self.sliders[key].setEnabled(tuning.greys == "toned")
        self._show_region()
        with QSignalBlocker(self.name):
            self.name.clear()
            self.name.addItems(list(session.pieces.tunings.all()))
            self.name.setCurrentText(tuning.name)
        self._show_live()

    def _missing(self) -> str:
        if self.session.artwork is None:
            return tr("To tune, there must be a picture: open one or drop one on the window.")
        if self.session.card is None:
            return tr("To tune, there must be a printing condition: make one (F6).")
        return tr("To tune, there must be {missing}.", missing=MISSING)

    def _put(self, key: str, value: int) -> None:
        with QSignalBlocker(self.sliders[key]):
            self.sliders[key].setValue(value)
        self._values[key].setText(f"{value:+d}" if self.sliders[key].minimum() < 0 and value else str(value))

    def _show_region(self) -> None:
        region = self._region()
        for key in ("turn", "chroma", "lightness"):
            self._put(key, round(getattr(region, key)))

    def _show_live(self) -> None:
        """Show the teeth with the tuning as it stands this moment; the price follows a little later."""
        session = self.session
        for key, slider in self.sliders.items():
            value = slider.value()
            self._values[key].setText(f"{value:+d}" if slider.minimum() < 0 and value else str(value))
        now = session.proof_settings
        before = replace(now, tuning=None)
        left_out = now.way is not None and not now.way.baked
        self.ways.setVisible(False)
        named = tr("tuned, but left out") if left_out else tr("as printed, tuned")
        self.view.set_teeth(
            [Tooth(tr("as printed, untuned"), self._link(before)), Tooth(named, self._link(now), chosen=True)]
        )
        if left_out and now.way is not None:
            self.ways.setVisible(True)
            through = session.profile is not None  # without one there is nothing that Fidele could convert by
            self.convert.setVisible(through)
            said = tr(
                "A tuning will not be printed: it is converted by {words}, from the picture as it is.",
                words=now.way.words,
            )
            what = tr("Let Fidele convert, or work the tuning into what is sent.")
            self.state.setText(f"{said} {what if through else tr('Work the tuning into what is sent.')}")
            self._later.start()
            return
        self.state.setText(
            tr("The left strip is the print as it is, the right one tuned. Drag the picture beneath them.")
            if not self.tuning.moves
            else tr("Tuned: {words}.", words=self.tuning.words)
        )
        self._later.start()

    def _link(self, settings: ProofSettings) -> Show:
        artwork = self.session.artwork
        if artwork is None:
            raise AssertionError("a proof was asked for without a picture")
        return self.session.looks.printed(artwork.profile, settings, quick=self._dragging)

    def _want_price(self) -> None:
        session = self.session
        artwork, printer = session.artwork, session.shown_by
        if artwork is None or printer is None or session.card is None or not self.isVisible():
            return
        now = replace(session.proof_settings, paper_white=False)
        before = replace(now, tuning=None)
        if now == before:
            self.price.setText("")
            return
        key = (id(artwork.pixels), artwork.profile.content_id, printer.content_id, now)
        if key == self._price_for:
            return
        pixels, source = artwork.laid, artwork.profile
        self._price_for = key

        def compute(_told: Progress) -> Price:
            return price_of(pixels, source, printer, before, now)

        def take(found: Price) -> None:
            if key == self._price_for:
                self._price = found
                self.price.setText(found.words)

        self.work.quietly("price", compute, take)

    def facts(self) -> list[tuple[str, str]]:
        """Return what the tuning does."""
        tuning = self.tuning
        rows = [
            (tr("Tuning"), tuning.name or (tr("none") if not tuning.moves else tr("not kept yet"))),
            (tr("Does"), tuning.words),
        ]
        if self._price is not None and tuning.moves:
            rows += [
                (
                    f.name,
                    tr(
                        "chroma {chroma:+.1f}, L* {lightness:+.1f}, ΔE00 {de00:.1f}",
                        chroma=f.chroma + 0.001,
                        lightness=f.lightness + 0.001,
                        de00=f.de00,
                    ),
                )
                for f in sorted(self._price.families, key=lambda f: -f.area)
            ]
        return rows
