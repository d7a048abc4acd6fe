"""The pages of the check desk: each shows one side of a check, and marks the patch that was picked anywhere."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fidele.arrays import Codes
from fidele.chart.visual import LIGHT as VIEWING
from fidele.chart.visual import QUESTIONS
from fidele.check.cause import telling_patches
from fidele.check.statistics import SAID
from fidele.colour.words import lab_words
from fidele.desk.check_plots import CastPlot, Distribution, RampPlot, RampsOver, ScanView, TrendPlot
from fidele.desk.kit import REST, across, choice, down, fill
from fidele.desk.labels import button, clear, heading, label, section
from fidele.desk.plots import Eyes, Suspects, Vectors
from fidele.desk.theme import LIGHT, Theme, font
from fidele.language import lowered, named, tr
from fidele.run.beside import PrintMeasured, best_where, changed_between, side_by_side
from fidele.run.reading import Checked
from fidele.store.records import Check


class Page(QWidget):
    """One side of a check."""

    picked = Signal(int)
    title = ""
    tip = ""

    def __init__(self) -> None:
        super().__init__()
        self.box = down(space=6, margins=(0, 4, 0, 0), on=self)
        self.plots: list[Any] = []

    def show_check(self, checked: Checked) -> None:
        """Show another check."""

    def prepare(self) -> None:
        """Called before it is shown: what has many fields makes them then."""

    def mark(self, index: int) -> None:
        """Mark a patch that was picked anywhere."""
        for plot in self.plots:
            if hasattr(plot, "mark"):
                plot.mark(index)

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        for plot in self.plots:
            plot.theme = theme
            plot.update()


class PatchesPage(Page):
    """The chart in its layout, as eyes or as a heat map, and the shifts in a*b* and L*C*."""

    title, tip = (
        named("Patches"),
        tr("Each patch as wanted with the measured colour in its middle, or how far it is off"),
    )
    #: A patch is to be left out, by its id.
    left_out = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        row = across(space=18)
        self.eyes, self.ab, self.lc = Eyes(), Vectors(), Vectors(chroma=True)
        self.plots = [self.eyes, self.ab, self.lc]
        for plot in self.plots:
            plot.picked.connect(self.picked)
        row.addWidget(self.eyes, 17)
        row.addLayout(down((self.ab, 1), (self.lc, 1)), 9)
        self.box.addLayout(row, 1)
        under = QHBoxLayout()
        self.heat = button(tr("How far off"), self._heat, tr("Show ΔE00 in each patch, the darker the further"))
        self.heat.setCheckable(True)
        self.without = button(
            tr("Leave it out"), self._leave, tr("Judge without the patch that is marked; Undo takes it back")
        )
        self.said = label("", 8.5, dim=True, wrap=True)
        fill(under, self.heat, self.without, (self.said, 1))
        self.box.addLayout(under)
        self.words = label("", 9.0, wrap=True)
        self.box.addWidget(self.words)

    def _leave(self) -> None:
        c = self.eyes.comparison
        if c is not None and 0 <= self.eyes.pick < len(c.ids):
            self.left_out.emit(c.ids[self.eyes.pick])

    def _heat(self) -> None:
        self.eyes.show_heat(self.heat.isChecked())

    def show_check(self, checked: Checked) -> None:
        self.eyes.set_chart(checked.chart, checked.index)
        for plot in self.plots:
            plot.show_comparison(checked.comparison)
        self.words.setText(
            "  ".join(checked.words[:4]) or tr("Nothing stands out: greys are neutral, the range is full.")
        )

    def mark(self, index: int) -> None:
        super().mark(index)
        c = self.eyes.comparison
        if c is None or not 0 <= index < len(c.ids):
            self.said.setText(tr("Each patch: wanted, with the measured one as its eye; pick one."))
            return
        w, m, s = c.wanted[index], c.measured[index], c.signed[index]
        self.said.setText(
            tr(
                "{ids}: ΔE00 {de00:.1f}, wanted L*a*b* {lab_words}, measured {lab_words2}; ΔL* {s:+.1f}, ΔC* "
                "{s2:+.1f}, ΔH* {s3:+.1f}",
                ids=c.ids[index],
                de00=c.de00[index],
                lab_words=lab_words(w),
                lab_words2=lab_words(m),
                s=s[0],
                s2=s[1],
                s3=s[2],
            )
        )


class FiguresPage(Page):
    """Distribution with the tolerance, figures by family, and the worst patches."""

    title, tip = named("Figures"), tr("Distribution, families, the worst patches")

    def __init__(self) -> None:
        super().__init__()
        row = across(space=18)
        left = QVBoxLayout()
        self.distribution = Distribution()
        self.plots = [self.distribution]
        fill(left, section(tr("How many are within what")), (self.distribution, 3), section(tr("By family")))
        self.families = Table(tr("family"), tr("patches"), tr("mean"), tr("median"), "95 %", tr("largest"))
        left.addWidget(self.families, 4)
        row.addLayout(left, 6)
        right = down(section(tr("Worst")))
        self.worst = Table(tr("patch"), "ΔE00", "ΔL*", "ΔC*", "ΔH*")
        self.worst.row_picked.connect(lambda row: self.picked.emit(self._order[row]))
        right.addWidget(self.worst)
        row.addLayout(right, 4)
        self.box.addLayout(row, 1)
        self._order: list[int] = []

    def show_check(self, checked: Checked) -> None:
        c = checked.comparison
        self.distribution.show_comparison(c)
        rows = [(tr("all"), len(c.ids), c.mean, c.median, c.p95, c.largest)]
        rows += [(tr(n), s.count, s.mean, s.median, s.p95, s.largest) for n, s in c.by_family().items()]
        self.families.fill([[str(r[0]), str(r[1]), *(tr("{v:.2f}", v=v) for v in r[2:])] for r in rows])
        self._order = [int(i) for i in c.worst(24)]
        self.worst.fill(
            [
                [c.ids[i], tr("{de00:.2f}", de00=c.de00[i]), *(tr("{v:+.1f}", v=v) for v in c.signed[i])]
                for i in self._order
            ]
        )

    def mark(self, index: int) -> None:
        super().mark(index)
        self.worst.pick_row(self._order.index(index) if index in self._order else -1)


class RampsPage(Page):
    """Tone curves and steps of a ramp, and the cast along the greys."""

    title, tip = named("Ramps"), tr("Are the first and the last steps apart? Does anything turn back? Do greys lean?")

    def __init__(self) -> None:
        super().__init__()
        over = QHBoxLayout()
        self.which = choice(tr("Which ramp"), chosen=lambda _: self._show())
        over.addWidget(self.which)
        self.said = label("", 9.0, wrap=True)
        over.addWidget(self.said, 1)
        self.box.addLayout(over)
        self.ramp, self.cast = RampPlot(), CastPlot()
        self.ramp.picked.connect(self.picked)
        self.plots = [self.ramp, self.cast]
        fill(self.box, (self.ramp, 5), section(tr("Cast of the greys: a* full, b* dashed")), (self.cast, 2))
        self._checked: Checked | None = None

    def show_check(self, checked: Checked) -> None:
        self._checked = checked
        before = self.which.currentData()
        self.which.clear()
        for ramp in checked.ramps:
            self.which.addItem(tr(ramp.name if ramp.name != "black" else "greys"), ramp.name)
        self.which.setCurrentIndex(max(0, self.which.findData(before or "black")))
        self.cast.show_ramp(next((r for r in checked.ramps if r.name == "black"), None))
        self._show()

    def _show(self) -> None:
        if self._checked is None or not self._checked.ramps:
            self.ramp.show_ramp(None, 0.5)
            self.said.setText(tr("This chart has no ramps of four steps or more; the ramps chart has."))
            return
        seen = max(0.5, self._checked.uncertainty)
        ramp = self._checked.ramps[max(0, self.which.currentIndex())]
        self.ramp.show_ramp(ramp, seen)
        self.said.setText("  ".join(ramp.words(seen)) or tr("All steps are apart, and nothing turns back."))

    def mark(self, index: int) -> None:
        super().mark(index)
        self.ramp.pick = index
        self.ramp.update()


class ScanPage(Page):
    """The scan with what was read on it; corners can be placed by hand."""

    title, tip = named("Scan"), tr("What was read, patch by patch, on the scan")
    placed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.view = ScanView()
        self.plots = [self.view]
        self.view.picked.connect(self.picked)
        self.view.placed.connect(self.placed)
        self.box.addWidget(self.view, 1)
        under = QHBoxLayout()
        self.said = label("", 8.5, dim=True, wrap=True)
        under.addWidget(self.said, 1)
        self.place = button(
            tr("Place the corners"), self._place, tr("Click on the outer corners of the four marks, in whatever order")
        )
        under.addWidget(self.place)
        self.box.addLayout(under)
        self._scan: Codes | None = None

    def _place(self) -> None:
        self.said.setText(tr("Click on the outer corner of each of the four marks, hidden or not, in whatever order."))
        self.view.place_corners()

    def show_scan(self, scan: Codes | None, why: str) -> None:
        """Show a scan that could not be read, and why."""
        self.view.show_scan(scan)
        self.said.setText(why)
        self.place.setEnabled(scan is not None)

    def show_check(self, checked: Checked) -> None:
        if checked.scan is not self._scan or checked.scan is None:
            self._scan = checked.scan
            self.view.show_scan(checked.scan)
        self.place.setEnabled(checked.scan is not None)
        r = checked.reading
        self.view.show_reading(r, checked.comparison.de00, checked.comparison.tolerance.p95)
        if r is None:
            self.said.setText(tr("Measured with {words}.", words=checked.measured.conditions.words()))
            return
        code = (
            tr("It says of itself: run {run}, page {page}. ", run=r.code.run, page=r.code.page + 1)
            if r.code is not None
            else ""
        )
        stripes = tr(", stripes of {banding:.1f} %", banding=r.banding * 100) if r.banding > 0.004 else ""
        marks, mirrored = r.marks or "No", tr(", mirrored") if r.mirrored else ""
        limit = checked.comparison.tolerance.p95
        self.said.setText(
            tr(
                "{code}{marks} marks, turned {turned:.1f}°{mirrored}, light evened by {unevenness:.0f} "
                "%{stripes}. Crossed patches are beyond the limit of {limit:g}.",
                code=code,
                marks=marks,
                turned=r.turned,
                mirrored=mirrored,
                unevenness=r.unevenness * 100,
                stripes=stripes,
                limit=limit,
            )
        )


class CausePage(Page):
    """Suspects by how well they explain the print, what to do, and what tells the first two apart."""

    title, tip = named("Cause"), tr("Which suspected fault explains the print best")

    def __init__(self) -> None:
        super().__init__()
        self.name = heading("")
        self.why = label("", 9.5, wrap=True)
        self.next = label("", 9.5, wrap=True)
        self.suspects = Suspects(11)
        self.plots = [self.suspects]
        self.group = label("", 9.0, dim=True, wrap=True)
        self.apart = label("", 9.0, dim=True, wrap=True)
        self.hidden = label("", 9.0, dim=True, wrap=True)
        for widget in (self.name, self.why, self.next, self.suspects, self.group, self.apart, self.hidden):
            self.box.addWidget(widget)
        self.box.addStretch(1)

    def show_check(self, checked: Checked) -> None:
        cause = checked.cause
        self.name.setText(cause.title)
        sure = tr(" Named so, it is right in {sure:.0f} of 100 cases.", sure=cause.sure * 100) if cause.sure else ""
        self.why.setText(cause.sentence + sure)
        told = tr("\nTo be sure: {next_print}", next_print=cause.next_print) if cause.next_print else ""
        self.next.setText(tr("Next: {next_step}{told}", next_step=cause.next_step, told=told))
        self.suspects.show_cause(cause)
        if not cause.suspects:
            for words in (self.group, self.apart, self.hidden):
                words.setText("")
            return
        titles = {s.code: s.title for s in cause.suspects}
        others = [titles[c] for c in cause.group if c != cause.suspects[0].code]
        self.group.setText(
            (
                tr(
                    "Cannot be told apart by this scanner: {titles} and {others}.",
                    titles=titles[cause.suspects[0].code],
                    others=", ".join(others),
                )
                if checked.reading is not None
                else tr(
                    "Cannot be told apart by this measurement: {titles} and {others}.",
                    titles=titles[cause.suspects[0].code],
                    others=", ".join(others),
                )
            )
            if others
            else tr("No other explanation comes near.")
            if cause.margin > 100
            else tr("The next explanation is {margin:.0f} times less likely.", margin=cause.margin)
        )
        known = [s for s in cause.suspects if s.Lab is not None]
        self.apart.setText("")
        if len(known) > 1 and cause.code != "right" and cause.sure < 0.97:
            patches = [checked.measured.ids[i] for i in telling_patches(known[0].Lab, known[1].Lab)]  # type: ignore[arg-type]
            self.apart.setText(
                tr(
                    "{title} and {title2} differ most in {patches}: measure these again to tell them apart.",
                    title=known[0].title,
                    title2=lowered(known[1].title),
                    patches=", ".join(patches),
                )
            )
        unnoticed = sorted(set(cause.unnoticed))
        self.hidden.setText(
            tr("At this tolerance these would go unnoticed: {unnoticed}.", unnoticed=", ".join(unnoticed[:6]))
            if unnoticed
            else ""
        )


class BesidePage(Page):
    """Two to six prints: figures by family, and which is best where."""

    title, tip = named("Side by side"), tr("Prints beside each other: trials, routes, before and after")

    def __init__(self) -> None:
        super().__init__()
        self.said = label("", 10, wrap=True)
        self.box.addWidget(self.said)
        self.strips = QGridLayout()
        self.strips.setHorizontalSpacing(10)
        holder = QWidget()
        holder.setLayout(self.strips)
        self.box.addWidget(holder, 3)
        under = across(space=14)
        self.figures = Table("")
        under.addWidget(self.figures, 5)
        over = down(label(tr("Greys: lighter or darker than wanted"), 8.5, dim=True))
        self.over = RampsOver()
        over.addWidget(self.over, 1)
        under.addLayout(over, 6)
        self.box.addLayout(under, 4)
        self.theme: Theme = LIGHT

    def show_prints(self, prints: tuple[PrintMeasured, ...]) -> None:
        """Show other prints."""
        clear(self.strips)
        self.plots = [self.over]
        self.over.show_ramps([(p.label, r) for p in prints for r in p.checked.ramps if r.name == "black"])
        if not prints:
            self.said.setText(
                tr(
                    "No prints are laid beside each other yet. Check a chart, then “Lay this print beside others” "
                    "under “More …”; or open one scan with several prints of a chart on it."
                )
            )
            self.figures.fill([])
            return
        words = best_where(prints) or [tr("{label} lies here; lay another beside it.", label=prints[0].label)]
        between = side_by_side(prints)
        if between is not None:
            words.append(
                tr(
                    "{label} and {label2} differ by ΔE00 {mean:.1f} on average, {largest:.1f} at most ({ids}).",
                    label=prints[0].label,
                    label2=prints[1].label,
                    mean=between.mean,
                    largest=between.largest,
                    ids=between.ids[int(between.worst(1)[0])],
                )
            )
        words += dict.fromkeys(c for p in prints for c in p.checked.cautions)
        self.said.setText(" ".join(words))
        for number, one in enumerate(prints):
            eyes = Eyes()
            eyes.setMinimumSize(80, 80)
            eyes.theme = self.theme
            eyes.set_chart(one.checked.chart, one.checked.index)
            eyes.show_comparison(one.checked.comparison)
            eyes.picked.connect(self.picked)
            self.plots.append(eyes)
            c = one.checked.comparison
            self.strips.addWidget(
                label(tr("{label}: {said}, {mean:.1f}", label=one.label, said=c.said, mean=c.mean), 9, bold=True),
                0,
                number,
            )
            self.strips.addWidget(eyes, 1, number)
        sums = [one.checked.comparison.by_family() for one in prints]
        names = list(dict.fromkeys(n for s in sums for n in s))
        self.figures.name_columns((tr("mean ΔE00"), *(one.label for one in prints)))
        rows = [[tr("all"), *(tr("{mean:.2f}", mean=one.checked.comparison.mean) for one in prints)]]
        rows += [[tr(n), *(tr("{mean:.2f}", mean=s[n].mean) if n in s else "–" for s in sums)] for n in names]
        self.figures.fill(rows)


class TrendPage(Page):
    """The checks of the condition over time, and what changed between the last and the one before."""

    title, tip = named("Over time"), tr("Every check of this condition, with its limits")

    def __init__(self) -> None:
        super().__init__()
        self.trend = TrendPlot()
        self.plots = [self.trend]
        self.trend.chosen.connect(self._say)
        self.box.addWidget(self.trend, 1)
        self.said = label("", 9.5, wrap=True)
        self.box.addWidget(self.said)

    def show_trend(self, checks: list[Check], limits: tuple[float, float]) -> None:
        """Show other checks, oldest first."""
        self.trend.show_checks(checks, limits)
        self._say(self.trend.pick)

    def _say(self, number: int) -> None:
        checks = self.trend.checks
        if not 0 <= number < len(checks):
            self.said.setText(tr("This condition has not been checked yet."))
            return
        check = checks[number]
        v = check.verdict
        words = [
            tr(
                "{at:%d.%m.%Y %H:%M}, run {run}: {said}, mean {mean:.1f}, 95th percentile {p95:.1f} ({chart}, "
                "{instrument}).",
                at=check.at,
                run=check.run,
                said=SAID.get(v.verdict, v.verdict),
                mean=v.mean,
                p95=v.p95,
                chart=v.chart or tr("chart"),
                instrument=v.instrument or tr("scanner"),
            )
        ]
        if number:
            changed = changed_between(checks[number - 1], check)
            words.append(
                tr("Since the check before: {changed}.", changed="; ".join(changed[:6]))
                if changed
                else tr("Nothing was changed since the one before.")
            )
            drift = v.mean - checks[0].verdict.mean
            words.append(tr("Against the first check the mean has moved by {drift:+.1f}.", drift=drift))
        self.said.setText(" ".join(words))


class EyePage(Page):
    """The by-eye way: short questions about the visual page."""

    title, tip = named("By eye"), tr("Short questions about the visual page, where there is no scanner")
    answered = Signal(dict)

    def __init__(self) -> None:
        super().__init__()
        self.answers: dict[str, QComboBox] = {}

    def prepare(self) -> None:
        if self.answers:
            return
        self.box.addWidget(label(VIEWING, 9.5, wrap=True))
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        for row, question in enumerate(QUESTIONS):
            grid.addWidget(label(question.part, 11, bold=True), row, 0)
            grid.addWidget(label(question.asks, 9.5, wrap=True), row, 1)
            box = choice(question.asks)
            box.addItems([tr("not answered"), *(words for words, _ in question.answers)])
            self.answers[question.part] = box
            grid.addWidget(box, row, 2)
        grid.setColumnStretch(1, 1)
        self.box.addLayout(grid)
        row_of = QHBoxLayout()
        self.keep = button(
            tr("Keep the answers"), self._keep, tr("They go into the logbook, as judged by eye"), main=True
        )
        row_of.addWidget(self.keep)
        self.said = label("", 9.5, wrap=True)
        row_of.addWidget(self.said, 1)
        fill(self.box, row_of, REST)

    def _keep(self) -> None:
        given = {part: box.currentIndex() - 1 for part, box in self.answers.items() if box.currentIndex() > 0}
        if not given:
            self.said.setText(tr("Answer at least one question first."))
            return
        self.answered.emit(given)


class Table(QTreeWidget):
    """A table that is read, not written; `row_picked` carries the number of the row that was clicked."""

    row_picked = Signal(int)

    def __init__(self, *titles: str) -> None:
        super().__init__()
        self.setRootIsDecorated(False)
        self.setUniformRowHeights(True)
        self.setFont(font(8.5))
        self.setIndentation(6)
        self.header().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.header().setStretchLastSection(False)
        self.name_columns(titles)
        self.itemClicked.connect(lambda item, _: self.row_picked.emit(self.indexOfTopLevelItem(item)))

    def name_columns(self, titles: tuple[str, ...]) -> None:
        """Take other columns."""
        self.setColumnCount(len(titles))
        self.setHeaderLabels(list(titles))
        for column in range(1, len(titles)):
            self.headerItem().setTextAlignment(column, Qt.AlignmentFlag.AlignRight)

    def fill(self, rows: list[list[str]]) -> None:
        """Show other rows."""
        self.clear()
        for cells in rows:
            item = QTreeWidgetItem(cells)
            for column in range(1, len(cells)):
                item.setTextAlignment(column, Qt.AlignmentFlag.AlignRight)
            self.addTopLevelItem(item)

    def pick_row(self, row: int) -> None:
        """Select a row, none for -1."""
        self.clearSelection()
        item = self.topLevelItem(row) if row >= 0 else None
        if item is not None:
            self.setCurrentItem(item)
