"""An own profile, step by step: its target, bare pages, measurements, the report, and into use."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QGridLayout, QWidget

from fidele import units
from fidele.chart.definition import Chart
from fidele.chart.family import KINDS
from fidele.colour.words import lab_words
from fidele.desk.accuracy_plot import AccuracyPlot
from fidele.desk.alike_box import AlikeBox
from fidele.desk.before_after import BeforeAfter, Shown, before_after
from fidele.desk.check_plots import Distribution
from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, down, fill
from fidele.desk.labels import button, clear, label, section, wrapped
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.language import tr, trn
from fidele.session.model import Session
from fidele.session.own_profiles import FURTHER, MEND, PART, TARGETS, Further, Made, Version

#: So many versions are listed, the newest first.
_VERSIONS = 4


class OwnDesk(Desk):
    """Makes a profile for the condition in force from a target that it printed."""

    station = "Own profile"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.own = session.own_profiles
        #: Which profile and picture were looked at last, and how they look.
        self._seen: tuple[object, list[Shown]] = (None, [])
        self._preview: BeforeAfter | None = None
        head = self.head()
        self.build = button(
            tr("Make the profile"), self._build, tr("Fit what was measured; nothing is used yet"), main=True
        )
        self.use = button(
            tr("Put it on the shelf and use it"), self._use, tr("One step, which Undo takes back"), main=True
        )
        self.order = button(
            tr("Have it made"),
            lambda: self.go.emit("Ordered profile"),
            tr("By a supplier or colleague, from a target of theirs"),
            quiet=True,
        )
        for one in (self.order, self.build, self.use):
            head.addWidget(one, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self.kind = choice(tr("Target"), [(k, f"{KINDS[k].title}: {KINDS[k].purpose}") for k in TARGETS], letters=40)
        self.kind.setCurrentIndex(1)
        self.kind.activated.connect(lambda _: self._chosen())
        self._kin: list[tuple[str, str]] = []
        self.buys = label("", 9.0, dim=True, wrap=True)
        self.accuracy = AccuracyPlot()
        self._from = label(tr("Begin from"), 9.0)
        self.like = choice(
            tr("Begin from"),
            tip=tr(
                "A profile of the same printer and inks for another paper: what it knows of them need not be measured "
                "again, so that a small target does. Where it does not fit, it is not followed."
            ),
            letters=24,
            chosen=lambda _: self.refresh(),
        )
        self._pages = QGridLayout()
        self._pages.setHorizontalSpacing(14)
        self._pages.setVerticalSpacing(4)
        self.add = button(tr("Add measurements …"), self._add, tr("CGATS, CxF or CSV files of this target"), quiet=True)
        self.all = button(tr("Print, press and measure it"), self._do, tr("Every page, by the stand-ins of the bench"))
        self._versions = QGridLayout()
        self._versions.setHorizontalSpacing(14)
        self._versions.setVerticalSpacing(4)
        self._kept = section(tr("Its versions"))
        self.alike = AlikeBox(self)
        self.report = QWidget()
        self._said = down(space=5, margins=(0, 0, 0, 0), on=self.report)
        inside = QWidget()
        down(
            section(tr("1  The target")),
            self.kind,
            across(self._from, (self.like, 1)),
            self.buys,
            self.accuracy,
            wrapped(section(tr("2  Its pages, printed with nothing converting"))),
            self._pages,
            across(self.all, self.add, SPRING),
            section(tr("3  How good it is")),
            (self.report, 1),
            self._kept,
            self._versions,
            self.alike,
            margins=(0, 0, 8, 0),
            on=inside,
        )
        self.box.addWidget(scrolled(inside), 1)  # a report, pictures and versions are more than a small window has

    @property
    def target(self) -> str:
        """The kind of chart that is chosen."""
        return str(self.kind.currentData())

    def choose(self, target: str) -> None:
        """Choose another target."""
        if target != self.target:
            self.kind.setCurrentIndex(self.kind.findData(target))
            self._chosen()

    def _chosen(self) -> None:
        self.own.made = None  # what was made of another target, and not taken, is in the way
        self.refresh()

    def refresh(self) -> None:
        """Show how far the work is."""
        card = self.session.card
        made = self.own.made if card is not None and self.own.made and self.own.made.card.id == card.id else None
        self.use.setVisible(made is not None)
        self.build.setVisible(made is None)
        for shown in (self._pages, self._said, self._versions):
            clear(shown)
        self._preview = None
        self.alike.refresh()
        if card is None:
            self.title.setText(tr("A profile of one's own needs a printing condition"))
            self.state.setText(
                tr("Make one first (F6): it says which printer, paper, ink and settings the profile is for.")
            )
            for one in (self.build, self.all, self.add, self.kind):
                one.setEnabled(False)
            return
        self.title.setText(tr("A profile for “{name}”", name=card.name))
        self.state.setText(
            tr(
                "{summary}. Print the target with exactly these settings, press it flat, let it cool and dry, "
                "then measure it. It can be done page by page, days apart: what was measured is kept.",
                summary=card.summary,
            )
        )
        self._show_kin()
        self._show_versions()
        mending, profile = self.target == MEND, self.session.profile
        self._from.setVisible(not mending)
        self.like.setVisible(not mending)
        self.build.setText(tr("Mend the profile") if mending else tr("Make the profile"))
        self.accuracy.setVisible(not mending)
        self.accuracy.theme = self.theme
        of = (len(made.own.comparison.ids), made.own.fit.stated) if made is not None and not mending else None
        self.accuracy.show_target(len(self.own.chart(self.target).ids), of)
        like, free = str(self.like.currentData() or ""), not self.work.busy
        pages = self.own.pages(self.target, like)
        self.buys.setText(
            trn(
                "{n} page. {expected}",
                "{n} pages. {expected}",
                len(pages),
                n=len(pages),
                expected=self.own.expected(self.target, bool(like)),
            )
        )
        for row, page in enumerate(pages):
            name = tr("Page {page}", page=page.page + 1)
            if page.chosen is not None:
                name = page.chosen.title if page.chosen.pages == 1 else f"{page.chosen.title}, {page.page + 1}"
            self._pages.addWidget(label(name, 9.5, bold=True), row, 0)
            self._pages.addWidget(label(page.words, 9.5), row, 1)
            again = tr("Print it again") if page.run else tr("Lay it on the sheet")
            lay = button(again, partial(self._lay, page.page, page.chosen), tr("Bare: no conversion, true size"))
            lay.setAccessibleName(f"{again}: {name}")
            self._pages.addWidget(lay, row, 2)
        self._pages.setColumnStretch(1, 1)
        self.all.setVisible(self.own.by_itself)
        for one in (self.all, self.add, self.kind, self.like):
            one.setEnabled(free)
        files, counting = self.own.files(self.target, pages, like), self.own.counting(self.target, like)
        self.build.setEnabled(bool(files) and free and not (mending and profile is None))
        if made is not None:  # what was measured since then is worth making it again
            self.build.setVisible({*files, *counting} != set(made.files))
        if made is not None:
            self._show(made)
        else:
            words = trn("{n} measured file.", "{n} measured files.", len(files), n=len(files))
            words += " " + (tr("Mend the profile to see.") if mending else tr("Make the profile to see."))
            if mending and profile is None:
                words = tr("There is no profile in force to mend: choose a whole target.")
            elif not files:
                words = tr("Nothing was measured yet.")
            if counting:
                words += " " + trn(
                    "{n} page measured while the driver converted counts as well where it was read alike: what the "
                    "driver makes of numbers is known.",
                    "{n} pages measured while the driver converted count as well where they were read alike: what the "
                    "driver makes of numbers is known.",
                    len(counting),
                    n=len(counting),
                )
            self._said.addWidget(label(words, 9.5, dim=True, wrap=True))
            self._said.addStretch(1)

    def _show_kin(self) -> None:
        """Offer what a profile can begin from; the likeliest is chosen until a person chose otherwise.

        A version of the same profile is not likely: what it knows was measured with what is here already.
        """
        kin = [(row.entry.id, row.title) for row in self.own.kin()]
        offered = [*kin, ("", tr("nothing: every colour is measured anew"))]
        if offered == self._kin:
            return
        chosen = self.like.currentData() if self._kin else None
        self._kin = offered
        self.like.clear()
        for key, title in offered:
            self.like.addItem(title, key)
        versions = {version.id for version in self.own.versions()}
        likely = next(k for k, (key, _) in enumerate(offered) if key not in versions)
        self.like.setCurrentIndex(max(0, self.like.findData(chosen)) if chosen is not None else likely)

    def _show_versions(self) -> None:
        """List what was made for this condition, to be gone back to."""
        versions = self.own.versions()
        self._kept.setVisible(bool(versions))
        for row, version in enumerate(versions[:_VERSIONS]):
            self._versions.addWidget(label(version.made, 9.5, bold=version.in_use), row, 0)
            self._versions.addWidget(label(version.words, 9.5, bold=version.in_use, wrap=True), row, 1)
            if version.in_use:
                self._versions.addWidget(label(tr("in use"), 9.5, bold=True), row, 2)
                continue
            back = button(tr("Use this one"), partial(self._back, version), tr("In this condition, from now on"))
            back.setAccessibleName(tr("Use the version of {made}", made=version.made))
            self._versions.addWidget(back, row, 2)
        self._versions.setColumnStretch(1, 1)

    def _back(self, version: Version) -> None:
        self.guarded(self.own.take_version, version)
        self.refresh()

    def _show(self, made: Made) -> None:
        own = made.own
        white, black = lab_words(own.white_Lab), lab_words(own.black_Lab)
        head = tr(
            "{used} of {n} patches. White L*a*b* {white}, black {black}.",
            used=own.used,
            n=len(made.found.ids),
            white=white,
            black=black,
        )
        for row, words in enumerate((head, *made.lines)):
            self._said.addWidget(label(words, 10.0 if row == 1 else 9.5, bold=row == 1, wrap=True))
        if made.mended is None:
            lead = tr(
                "{n} patches where this profile knows least; with what is measured already it is made again", n=FURTHER
            )
            more = button(tr("A further page, well chosen"), self._choose_further, lead)
            more.setEnabled(not self.work.busy)
            count = len(self.own.doubtful(made))
            tip = tr("A page of those that were left out, contradict their repeats, or were not measured")
            words = trn("Print {n} doubtful patch again", "Print {n} doubtful patches again", count, n=count)
            once_more = button(words, self._measure_again, tip)
            once_more.setEnabled(not self.work.busy)
            once_more.setVisible(bool(count))
            self._said.addLayout(across(once_more, more, SPRING))
        elif made.mended.advice != "keep":
            lead = tr("It begins from the profile in force: what that knows need not be measured again")
            part = button(tr("Make it anew from a small target"), self._make_part, lead)
            part.setEnabled(not self.work.busy)
            self._said.addLayout(across(part, SPRING))
        self._said.addWidget(self._pictures(made))
        shown = Distribution()
        shown.theme = self.theme
        shown.show_comparison(own.comparison)
        shown.setMinimumHeight(150)
        what = tr("How far each patch is from what all others say of it: the measurement's noise is in this, too")
        fill(self._said, 6, label(what, 8.5, dim=True, wrap=True), (shown, 1))

    def _pictures(self, made: Made) -> QWidget:
        """Return the picture in hand through the new profile beside the old; it is made beside the interface."""
        artwork = self.session.artwork
        if artwork is None or self.session.chart is not None:
            words = tr("Open a picture of your own to see it printed by the new profile, beside the one in force.")
            return label(words, 8.5, dim=True, wrap=True)
        shown, key = BeforeAfter(), (id(made), id(artwork.pixels))
        self._preview = shown
        if self._seen[0] == key:
            shown.show_pictures(self._seen[1])
            return shown

        def take(found: list[Shown]) -> None:
            self._seen = (key, found)
            if self._preview is shown:  # nothing else has taken its place
                shown.show_pictures(found)

        self.work.quietly("before and after", before_after(self.session, artwork, made.own.profile), take)
        return shown

    # Doing -------------------------------------------------------------------------------------------------------

    def _lay(self, page: int, chosen: Chart | None = None) -> None:
        def lay() -> None:
            target = self.own.ready(self.target)
            self.lay_chart(chosen or target, page, bare=True)

        self.guarded(lay)

    def _choose_further(self) -> None:
        made = self.own.made
        if made is None:
            return

        def done(further: Further) -> None:
            self.guarded(self.own.add_chosen, further)
            self.refresh()

        self.work.run(tr("Choosing patches"), self.own.choosing(made), done)
        self.refresh()

    def _make_part(self) -> None:
        """Go on to a small target that begins from the profile in force."""
        card = self.session.card
        if card is not None and card.profile is not None:
            self._show_kin()
            self.like.setCurrentIndex(max(0, self.like.findData(card.profile)))
            self.choose(PART)

    def _measure_again(self) -> None:
        if self.own.made is not None:
            self.guarded(self.own.measure_again, self.own.made)
        self.refresh()

    def _do(self) -> None:
        title, like = tr("Printing, pressing and measuring the target"), str(self.like.currentData() or "")
        self.guarded(lambda: self.work.run(title, self.own.doing(self.target, like), lambda _: self.refresh()))
        self.refresh()

    def _add(self) -> None:
        kinds = tr("Measurements (*.txt *.cgats *.cxf *.xml *.csv)")
        names, _ = QFileDialog.getOpenFileNames(self, tr("Measurements of this target"), "", kinds)
        for name in names:
            self.guarded(self.own.add, Path(name))
        self.refresh()

    def _build(self) -> None:
        def done(made: Made) -> None:
            self.own.made = made
            self.session.say(made.lines[0])
            self.refresh()

        like = str(self.like.currentData() or "")
        title = tr("Mending the profile") if self.target == MEND else tr("Making the profile")
        self.guarded(lambda: self.work.run(title, self.own.making(self.target, like=like), done))
        self.refresh()

    def _use(self) -> None:
        if self.own.made is not None:
            self.guarded(self.own.take, self.own.made)
        self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return what a good target needs."""
        card = self.session.card
        if card is None:
            return []
        rows = [(tr("Bare"), tr("nothing converts: the thread shows no knot while a page lies on the sheet"))]
        if card.process == "transfer":
            rows.append(
                (
                    tr("Pressed"),
                    tr(
                        "flat, {temperature}, {seconds:.0f} s",
                        temperature=units.temperature(card.press.temperature),
                        seconds=card.press.seconds,
                    ),
                )
            )
        return [*rows, (tr("Measured"), tr("by instrument, or a characterised scanner; repeats are averaged"))]
