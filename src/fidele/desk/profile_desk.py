"""One profile: what it is, whether it is sound, what it holds, how it was made, and whether it is good here."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QFileDialog, QHBoxLayout, QSlider, QStackedWidget, QWidget

from fidele.artwork.picture import Artwork
from fidele.desk.desk import Desk, clock
from fidele.desk.findings import fact_grid
from fidele.desk.gamut_view import Gamuts, SliceView, SolidView
from fidele.desk.kit import across, choice, down, fill
from fidele.desk.labels import button, label, section
from fidele.desk.papers_page import PapersPage
from fidele.desk.profile_plots import GreyPlot, TonePlot, TripPlot
from fidele.desk.theme import Theme
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.icc.behaviour import Behaviour, behaviour
from fidele.icc.profile import Profile
from fidele.icc.solid import Overlap, Solid, overlap, solid_of
from fidele.icc.spaces import oprgb, srgb
from fidele.icc.transform import Intent, to_lab
from fidele.judge.finding import Finding
from fidele.language import tr
from fidele.papers.leaflet import Leaflet, text_of_leaflet
from fidele.proof.kept import Kept, kept
from fidele.session.model import Session
from fidele.session.profiles import Row
from fidele.session.roles import role_for
from fidele.tiles import Progress

_ARTWORK = "artwork"
#: A profile's id, how it behaves, its gamut, and what its tables do to printable colours.
_Look = tuple[str, Behaviour | None, Solid | None, dict[Intent, Kept]]


class ProfileDesk(Desk):
    """Shows one profile of the shelf."""

    station = "Profile"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.profile_id = ""
        self._row: Row | None = None
        self._found: dict[str, Behaviour] = {}
        self._solids: dict[str, Solid | None] = {}
        self._moved: dict[str, dict[Intent, Kept]] = {}
        self._overlap: tuple[str, Overlap | None, float | None] | None = None
        head = self.head()
        self.use = button(tr("Use it here"), self._use, tr("Make it the profile of the condition in force"), main=True)
        self.start = button(
            tr("Start a condition with it"),
            self._start,
            tr("A new printing condition, set as its papers say it was made"),
        )
        self.trial = button(
            tr("Try it on this printer"),
            lambda: self.trial_wanted.emit(self.profile_id),
            tr("Prints, presses and reads a quick chart through it: does it describe this very printer?"),
        )
        self.space = button(tr("Use for the artwork"), self._as_space, "")
        self.stand = button("", self._stand, "")
        for made in (self.use, self.start, self.trial, self.space, self.stand):
            head.addWidget(made, alignment=Qt.AlignmentFlag.AlignTop)
        fill(self.box, head, self._switch())
        self.pages = QStackedWidget()
        self.papers = PapersPage(session, self.guarded)
        self.papers.leaflet_wanted.connect(self._pick_leaflet)
        self.pages.addWidget(self._look_page())
        self.pages.addWidget(self.papers)
        self.box.addWidget(self.pages, 1)

    # Making ------------------------------------------------------------------------------------------------------

    def _switch(self) -> QHBoxLayout:
        row = across(space=6)
        self._group = QButtonGroup(self)
        for index, (name, tip) in enumerate(
            (
                (tr("Look at it"), tr("Gamut, greys, tone curves, round trip")),
                (tr("Its papers"), tr("What it is for and how it was made")),
            )
        ):
            made = button(name, partial(self.show_page, index), tip)
            made.setCheckable(True)
            self._group.addButton(made, index)
            row.addWidget(made)
        row.addSpacing(14)
        self.pin = button(tr("Pin"), self._pin, tr("Keep it at the top of the shelf"), quiet=True)
        self.hide_it = button(tr("Hide"), self._hide, tr("Keep it off the shelf without removing it"), quiet=True)
        self.default = button(tr("Make it the default"), self._default, "", quiet=True)
        self.away = button(
            tr("Take it off"),
            lambda: self.guarded(self.session.profiles.remove, self.profile_id),
            tr("Remove it from the shelf; undo puts it back"),
            quiet=True,
        )
        for made in (self.pin, self.hide_it, self.default, self.away):
            row.addWidget(made)
        row.addStretch()
        return row

    def _look_page(self) -> QWidget:
        page = QWidget()
        box = down(space=7, margins=(0, 2, 0, 0), on=page)
        over = across(label(tr("Lay over it"), 9))
        self.over = choice(
            tr("What is laid over the gamut"),
            tip=tr("Another profile, a working space, or the colours of the artwork in hand"),
            chosen=lambda _: self._lay_over(),
        )
        self.over.setMinimumWidth(210)
        over.addWidget(self.over)
        self.said = label("", 9, wrap=True)
        over.addWidget(self.said, 1)
        box.addLayout(over)
        views = across(space=8)
        self.solid, self.slice = SolidView(), SliceView()
        views.addWidget(self.solid, 6)
        cut = down((self.slice, 1))
        self.level = QSlider(Qt.Orientation.Horizontal)
        self.level.setRange(2, 98)
        self.level.setValue(50)
        self.level.setAccessibleName(tr("Lightness of the slice"))
        self.level.setToolTip(tr("Lightness at which the gamut is cut"))
        self.level.valueChanged.connect(self._cut)
        self.slice.level_wanted.connect(lambda v: self.level.setValue(round(v)))
        cut.addWidget(self.level)
        views.addLayout(cut, 5)
        box.addLayout(views, 5)
        plots = across(space=8)
        self.plots = (GreyPlot(), TonePlot(), TripPlot())
        for plot in self.plots:
            plots.addWidget(plot)
        box.addLayout(plots, 2)
        return page

    # Showing -----------------------------------------------------------------------------------------------------

    def open(self, profile_id: str, page: int | None = None) -> None:
        """Show another profile; stay on the page that is open unless another is asked for."""
        if profile_id != self.profile_id:
            self.profile_id = profile_id
            self._overlap = None
        if page is not None:
            self.show_page(page)

    def show_page(self, index: int) -> None:
        """Show the plots (0) or the papers (1)."""
        self.pages.setCurrentIndex(index)
        self._group.button(index).setChecked(True)
        if index == 1 and self._row is not None:
            self.papers.show_row(self._row)

    def refresh(self) -> None:
        """Show the profile as it is now."""
        self._group.button(self.pages.currentIndex()).setChecked(True)
        entry = self.session.shelf.find(self.profile_id) if self.profile_id else None
        self._row = self.session.profiles.row(entry) if entry is not None else None
        row = self._row
        for made in (
            self.use,
            self.start,
            self.trial,
            self.pin,
            self.hide_it,
            self.default,
            self.space,
            self.stand,
            self.away,
        ):
            made.setVisible(row is not None)
        self.pages.setVisible(row is not None)
        if row is None:
            self.title.setText(tr("No profile"))
            self.state.setText(tr("It is not on the shelf any more. Undo may put it back, or choose another one."))
            return
        what, card = row.entry.description, self.session.card
        printing = what.device_class == "prtr"
        self.title.setText(row.title)
        found = self._found.get(row.entry.id)
        self.state.setText(found.sentence if found else tr("Looking at it …"))
        self.use.setVisible(printing and card is not None)
        self.use.setEnabled(what.usable_as_output and card is not None and card.profile != row.entry.id)
        self.use.setText(tr("In use here") if card is not None and card.profile == row.entry.id else tr("Use it here"))
        self.start.setVisible(printing)
        self.start.setEnabled(what.usable_as_output)
        self.start.setProperty("main", card is None)
        self.trial.setVisible(printing)
        self.trial.setEnabled(what.usable_as_output and not self.work.busy)
        self.pin.setText(tr("Unpin") if row.papers.pinned else tr("Pin"))
        self.hide_it.setText(tr("Show again") if row.papers.hidden else tr("Hide"))
        self.away.setVisible(row.entry.own)
        self.space.setVisible(what.device_class in ("mntr", "spac") and what.colour_space == "RGB")
        self.space.setEnabled(self.session.artwork is not None and self.session.artwork.pixels.shape[2] == 3)
        self.space.setToolTip(tr("Say that the picture in hand was made in this space"))
        self._show_default(row)
        self._show_role(row)
        if self.pages.currentIndex() == 1:  # many fields: made when they are looked at
            self.papers.show_row(row)
        self._show_look(row)

    def _show_default(self, row: Row) -> None:
        media = self._media(row)
        is_default = self.session.profiles.defaults.of(self.session.device.id, media) == row.entry.id
        self.default.setVisible(row.entry.description.usable_as_output and bool(media))
        self.default.setText(tr("No longer the default") if is_default else tr("Make it the default"))
        self.default.setToolTip(
            tr(
                "For {media} on the {name}, whatever the system's default printer is",
                media=media,
                name=self.session.device.name,
            )
        )

    def _show_role(self, row: Row) -> None:
        role = role_for(row.entry.description)
        self.stand.setVisible(bool(role))
        taken = bool(role) and self.session.profiles.roles.of(role) == row.entry.id
        self.stand.setText(tr("No longer for the {role}", role=role) if taken else tr("Use for the {role}", role=role))
        self.stand.setToolTip(
            {
                "screen": tr("It describes the screen in front of you: proofs are converted to it"),
                "scanner": tr("It describes your scanner: charts are read through it"),
            }.get(role, "")
        )

    def _media(self, row: Row) -> str:
        return row.papers.value("media") or (self.session.card.media if self.session.card else "")

    def _show_look(self, row: Row) -> None:
        self._fill_over(row)
        key = row.entry.id
        if key in self._found:
            self._draw(row)
            return
        for plot in self.plots:
            plot.show_behaviour(None)
        path, what = row.entry.path, row.entry.description

        def find(_progress: Progress) -> _Look:
            from fidele.kernels.rasters import ready_to_draw

            ready_to_draw()
            profile = Profile.open(path)
            if any(p.code.startswith("damaged") for p in what.problems):
                return key, None, None, {}
            tables = [i for i in Intent if i.value in what.intents and i is not Intent.ABSOLUTE]
            moved: dict[Intent, Kept] = {
                i: found for i in tables if what.usable_as_output and (found := kept(profile, i)) is not None
            }
            return key, behaviour(profile, what), solid_of(profile, 20), moved

        self.work.quietly("behaviour", find, self._take)

    def _take(self, found: _Look) -> None:
        key, behaves, solid, moved = found
        self._moved[key] = moved
        if behaves is not None:
            self._found[key] = behaves
        self._solids[key] = solid
        if self._row is not None and self._row.entry.id == key:
            if behaves is None:
                stop = next(p.message for p in self._row.entry.description.problems if p.weight == "stop")
                self.state.setText(tr("Not sound. {stop}", stop=stop))
            else:
                self.state.setText(behaves.sentence)
                self._draw(self._row)
            self.go.emit("")

    def _draw(self, row: Row) -> None:
        found = self._found[row.entry.id]
        for plot in self.plots:
            plot.show_behaviour(found)
        self._lay_over()

    def _fill_over(self, row: Row) -> None:
        chosen = self.over.currentData()
        self.over.clear()
        self.over.addItem(tr("nothing"), "")
        self.over.addItem("sRGB", "sRGB")
        self.over.addItem("opRGB", "opRGB")
        if self.session.artwork is not None:
            self.over.addItem(tr("the colours of {name}", name=self.session.artwork.path.name), _ARTWORK)
        others = [
            r
            for r in self.session.profiles.rows()
            if r.entry.id != row.entry.id
            and not r.papers.hidden
            and (r.used or r.entry.description.device_class == "prtr")
            and r.entry.description.colour_space in ("RGB", "CMYK")
        ]
        for other in others[:200]:
            self.over.addItem(other.title, other.entry.id)
        self.over.setCurrentIndex(max(0, self.over.findData(chosen)))

    def _lay_over(self) -> None:
        if self._row is None:
            return
        key, what = self._row.entry.id, self.over.currentData() or ""
        entry = self.session.shelf.find(what) if what else None
        path = entry.path if entry is not None else None
        artwork = self.session.artwork if what == _ARTWORK else None
        mine = self._solids.get(key)
        name = f"{key} {what} {artwork.path if artwork else ''}"
        if self._overlap is not None and self._overlap[0] == name:
            return
        self._show(Gamuts(self._row.title, mine))
        self._say(None, None)
        if not what or mine is None:
            self._overlap = (name, None, None)
            return

        title, own = self.over.itemText(0), self._path(key)

        def find(_progress: Progress) -> tuple[str, Gamuts, Overlap | None, float | None]:
            if artwork is not None:
                points = _sample(artwork)
                return name, Gamuts("", mine, points=points[:700]), None, float(mine.inside(points).mean())
            profile = {"sRGB": srgb, "opRGB": oprgb}[what]() if path is None else Profile.open(path)
            other = solid_of(profile, 20)
            fine, fine_other = solid_of(Profile.open(own)), solid_of(profile)
            shared = overlap(fine, fine_other) if fine is not None and fine_other is not None else None
            return name, Gamuts("", mine, title, other), shared, None

        self.work.quietly("overlap", find, self._take_overlap)

    def _path(self, key: str) -> Path:
        entry = self.session.shelf.find(key)
        if entry is None:
            raise FideleError(tr("This profile is not on the shelf any more."))
        return entry.path

    def _take_overlap(self, found: tuple[str, Gamuts, Overlap | None, float | None]) -> None:
        name, gamuts, shared, share = found
        self._overlap = (name, shared, share)
        self._show(gamuts)
        self._say(shared, share)

    def _show(self, gamuts: Gamuts) -> None:
        self.solid.show_gamuts(gamuts)
        self.slice.show_gamuts(gamuts)

    def _say(self, shared: Overlap | None, share: float | None) -> None:
        found = self._found.get(self.profile_id)
        volume = tr("{gamut_volume:,.0f}", gamut_volume=found.gamut_volume) if found and found.gamut_volume else ""
        name = self.over.currentText()
        if share is not None:
            self.said.setText(
                tr("Holds {share:.0f} % of the picture's colours (dots: the picture).", share=share * 100)
            )
        elif shared is not None:
            self.said.setText(
                tr(
                    "Covers {b_in_a:.0f} % of {name} (the cage; volume {volume_b:,.0f}). Of its own volume, "
                    "{volume_a:,.0f}, {a_in_b:.0f} % lie outside it.",
                    b_in_a=shared.b_in_a * 100,
                    name=name,
                    volume_b=shared.volume_b,
                    volume_a=shared.volume_a,
                    a_in_b=(1 - shared.a_in_b) * 100,
                )
            )
        else:
            self.said.setText(tr("Gamut volume {volume} cubic units of L*a*b*.", volume=volume) if volume else "")

    def _cut(self, value: int) -> None:
        self.solid.cut_at(float(value))
        self.slice.cut_at(float(value))

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        for view in (self.solid, self.slice, *self.plots):
            view.theme = theme
            view.update()
        super().set_theme(theme)

    # Beside ------------------------------------------------------------------------------------------------------

    def own_findings(self) -> list[Finding]:
        """Return what is wrong or doubtful with the profile itself, weightiest first."""
        row = self._row
        if row is None:
            return []
        made = []
        what = row.entry.description
        if what.device_class != "prtr":
            made.append(
                Finding(
                    "not-printing",
                    "note",
                    tr("Not for printing: {class_words}", class_words=what.class_words),
                    _SERVES.get(what.device_class, tr("Fidele has no use for it beyond showing what it is.")),
                    "",
                    desk="profile",
                )
            )
        elif row.fit.grade != "fits" and what.usable_as_output:
            weight = "caution" if row.fit.grade == "not" else "note"
            to_what = tr("the condition in force") if self.session.card is not None else tr("any printer that is here")
            title = tr("Does not fit {to_what}", to_what=to_what) if row.fit.grade == "not" else tr("It may fit")
            made.append(
                Finding("fit", weight, title, row.fit.words, tr("Say in its papers what it is for."), desk="profile")
            )
        for problem in (p for p in what.problems if p.code != "intents"):  # those are in the sentence at the top
            why = problem.message + (f" ({problem.clause})" if problem.clause else "")
            title = {"stop": tr("Damaged or unusable"), "caution": tr("Not as the standard has it")}.get(
                problem.weight, "Remark"
            )
            made.append(
                Finding(problem.code, problem.weight, title, why, tr("Ask its maker for another."), desk="profile")
            )
        return sorted(made, key=lambda f: ("stop", "caution", "note").index(f.weight))

    def facts(self) -> list[tuple[str, str]]:
        """Return what the file says of itself."""
        row = self._row
        if row is None:
            return []
        what = row.entry.description
        rows = [
            (tr("Calls itself"), what.description),
            (tr("Maker"), what.maker or tr("not stated")),
            (tr("Made"), what.made or tr("not stated")),
            (tr("Kind"), tr("{class_words}, version {version}", class_words=what.class_words, version=what.version)),
            (tr("Spaces"), tr("{colour_space} to {pcs}", colour_space=what.colour_space, pcs=what.pcs)),
            (tr("Intents"), ", ".join(Intent(i).words for i in what.intents) or tr("none")),
        ]
        for name, Lab in ((tr("White"), what.white_lab), (tr("Black"), what.black_lab)):
            if Lab is not None:
                rows.append((name, "L*a*b* {:.1f} {:.1f} {:.1f}".format(*(v + 0.0 for v in Lab))))
        rows += [
            (tr("Its {value} table", value=i.value), k.words) for i, k in self._moved.get(row.entry.id, {}).items()
        ]
        if what.patches:
            rows.append((tr("Made from"), tr("{patches:,} measured patches, which it carries", patches=what.patches)))
        places = self.session.profiles.defaults.served_by(row.entry.id)
        if places:
            rows.append((tr("Default for"), ", ".join(media for _, media in places)))
        return [
            *rows,
            (tr("File"), tr("{name}, {size:,} bytes", name=row.entry.path.name, size=what.size)),
            (tr("Lies in"), str(row.entry.path.parent)),
        ]

    def extra(self) -> list[QWidget]:
        """Return what charts on printers have said of it."""
        row = self._row
        if row is None or row.entry.description.device_class != "prtr":
            return []
        made = QWidget()
        box = down(section(tr("On this printer")), space=5, margins=(0, 4, 0, 4), on=made)
        last = row.papers.on(self.session.device.id)
        if last is None:
            box.addWidget(
                label(
                    tr("Never verified on this unit: two printers of one model differ. Try it."),
                    8.5,
                    dim=True,
                    wrap=True,
                )
            )
        else:
            box.addWidget(label(last.sentence, 9, bold=not last.passed, wrap=True))
            box.addLayout(
                fact_grid(
                    [
                        (tr("Chart"), tr("{chart}, run {run}", chart=last.chart, run=last.run)),
                        (tr("When"), clock(last.when)),
                        ("ΔE00", tr("mean {mean:.1f}, 95th percentile {p95:.1f}", mean=last.mean, p95=last.p95)),
                    ]
                )
            )
        return [made]

    # Doing -------------------------------------------------------------------------------------------------------

    def _use(self) -> None:
        self.guarded(self.session.profiles.use, self.profile_id)

    def _start(self) -> None:
        if self.session.conditions.undecided(self.profile_id):
            self.making_wanted.emit(self.profile_id)
        else:
            self.guarded(self._started)

    def _started(self) -> None:
        self.session.conditions.start_with(self.profile_id)
        self.then_go("Hand-off")

    def _pin(self) -> None:
        if self._row is not None:
            self.guarded(self.session.profiles.pin, self.profile_id, not self._row.papers.pinned)

    def _hide(self) -> None:
        if self._row is not None:
            self.guarded(self.session.profiles.hide, self.profile_id, not self._row.papers.hidden)

    def _default(self) -> None:
        if self._row is not None:
            media = self._media(self._row)
            is_default = self.session.profiles.defaults.of(self.session.device.id, media) == self.profile_id
            self.guarded(self.session.profiles.choose_default, "" if is_default else self.profile_id, media)

    def _stand(self) -> None:
        if self._row is not None:
            role = role_for(self._row.entry.description)
            taken = self.session.profiles.roles.of(role) == self.profile_id
            self.guarded(self.session.profiles.stand_for, role, "" if taken else self.profile_id)

    def _as_space(self) -> None:
        if self._row is not None:
            self.guarded(self._take_space, self._row.title)

    def _take_space(self, title: str) -> None:
        self.session.pieces.take_space(self.session.profiles.as_space(self.profile_id), title)

    def _pick_leaflet(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("A leaflet of the supplier"),
            str(Path.home()),
            tr("Leaflets (*.txt *.pdf *.eml *.md *.html *.htm)"),
        )
        if name:
            self.take_leaflet(Path(name))

    def take_leaflet(self, path: Path) -> None:
        """Keep a leaflet with the profile that is shown."""

        leaf = self.session.profiles.leafing()

        def read(_told: Progress) -> Leaflet:
            data = read_bytes(path, 8 << 20)
            leaflet = Leaflet(path.name, data, text_of_leaflet(path.name, data))
            leaf([leaflet])
            return leaflet

        def take(leaflet: Leaflet) -> None:
            self.guarded(self.session.profiles.attach, profile_id, leaflet)
            self.show_page(1)

        profile_id = self.profile_id
        self.work.run(tr("Reading {name}", name=path.name), read, take, lane="opening")


_SERVES = {
    "mntr": tr("It describes a screen or a working space: artwork can be taken for it, and a proof shown through it."),
    "scnr": tr("It describes a scanner or camera: scans are read through such a profile."),
    "spac": tr("It converts to a colour space: artwork can be taken for it."),
    "link": tr("It joins two devices and has no colour of its own; Fidele converts through two profiles instead."),
    "abst": tr("It is an effect between colours, not a device."),
    "nmcl": tr("It is a list of named colours."),
}


def _sample(artwork: Artwork) -> np.ndarray:
    """Return L*a*b* (n, 3) of a few thousand pixels all over a picture."""
    flat = artwork.pixels.reshape(-1, artwork.pixels.shape[-1])
    chosen = np.random.default_rng(1).choice(len(flat), min(len(flat), 4000), replace=False)
    return to_lab(np.ascontiguousarray(flat[chosen]), artwork.profile).astype(float)
