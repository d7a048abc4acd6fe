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

    title, tip = "Patches", "Each patch as wanted with the measured colour in its middle, or how far it is off"
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
        self.heat = button("How far off", self._heat, "Show ΔE00 in each patch, the darker the further")
        self.heat.setCheckable(True)
        self.without = button("Leave it out", self._leave, "Judge without the patch that is marked; Undo takes it back")
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
        self.words.setText("  ".join(checked.words[:4]) or "Nothing stands out: greys are neutral, the range is full.")

    def mark(self, index: int) -> None:
        super().mark(index)
        c = self.eyes.comparison
        if c is None or not 0 <= index < len(c.ids):
            self.said.setText("Each patch: wanted, with the measured one as its eye; pick one.")
            return
        w, m, s = c.wanted[index], c.measured[index], c.signed[index]
        self.said.setText(
            f"{c.ids[index]}: ΔE00 {c.de00[index]:.1f}, wanted L*a*b* {lab_words(w)}, "
            f"measured {lab_words(m)}; ΔL* {s[0]:+.1f}, ΔC* {s[1]:+.1f}, ΔH* {s[2]:+.1f}"
        )


class FiguresPage(Page):
    """Distribution with the tolerance, figures by family, and the worst patches."""

    title, tip = "Figures", "Distribution, families, the worst patches"

    def __init__(self) -> None:
        super().__init__()
        row = across(space=18)
        left = QVBoxLayout()
        self.distribution = Distribution()
        self.plots = [self.distribution]
        fill(left, section("How many are within what"), (self.distribution, 3), section("By family"))
        self.families = Table("family", "patches", "mean", "median", "95 %", "largest")
        left.addWidget(self.families, 4)
        row.addLayout(left, 6)
        right = down(section("Worst"))
        self.worst = Table("patch", "ΔE00", "ΔL*", "ΔC*", "ΔH*")
        self.worst.row_picked.connect(lambda row: self.picked.emit(self._order[row]))
        right.addWidget(self.worst)
        row.addLayout(right, 4)
        self.box.addLayout(row, 1)
        self._order: list[int] = []

    def show_check(self, checked: Checked) -> None:
        c = checked.comparison
        self.distribution.show_comparison(c)
        rows = [("all", len(c.ids), c.mean, c.median, c.p95, c.largest)]
        rows += [(n, s.count, s.mean, s.median, s.p95, s.largest) for n, s in c.by_family().items()]
        self.families.fill([[str(r[0]), str(r[1]), *(f"{v:.2f}" for v in r[2:])] for r in rows])
        self._order = [int(i) for i in c.worst(24)]
        self.worst.fill([[c.ids[i], f"{c.de00[i]:.2f}", *(f"{v:+.1f}" for v in c.signed[i])] for i in self._order])

    def mark(self, index: int) -> None:
        super().mark(index)
        self.worst.pick_row(self._order.index(index) if index in self._order else -1)


class RampsPage(Page):
    """Tone curves and steps of a ramp, and the cast along the greys."""

    title, tip = "Ramps", "Are the first and the last steps apart? Does anything turn back? Do greys lean?"

    def __init__(self) -> None:
        super().__init__()
        over = QHBoxLayout()
        self.which = choice("Which ramp", chosen=lambda _: self._show())
        over.addWidget(self.which)
        self.said = label("", 9.0, wrap=True)
        over.addWidget(self.said, 1)
        self.box.addLayout(over)
        self.ramp, self.cast = RampPlot(), CastPlot()
        self.ramp.picked.connect(self.picked)
        self.plots = [self.ramp, self.cast]
        fill(self.box, (self.ramp, 5), section("Cast of the greys: a* full, b* dashed"), (self.cast, 2))
        self._checked: Checked | None = None

    def show_check(self, checked: Checked) -> None:
        self._checked = checked
        before = self.which.currentText()
        self.which.clear()
        self.which.addItems([r.name if r.name != "black" else "greys" for r in checked.ramps])
        self.which.setCurrentText(before or "greys")
        self.cast.show_ramp(next((r for r in checked.ramps if r.name == "black"), None))
        self._show()

    def _show(self) -> None:
        if self._checked is None or not self._checked.ramps:
            self.ramp.show_ramp(None, 0.5)
            self.said.setText("This chart has no ramps of four steps or more; the ramps chart has.")
            return
        seen = max(0.5, self._checked.uncertainty)
        ramp = self._checked.ramps[max(0, self.which.currentIndex())]
        self.ramp.show_ramp(ramp, seen)
        self.said.setText("  ".join(ramp.words(seen)) or "All steps are apart, and nothing turns back.")

    def mark(self, index: int) -> None:
        super().mark(index)
        self.ramp.pick = index
        self.ramp.update()


class ScanPage(Page):
    """The scan with what was read on it; corners can be placed by hand."""

    title, tip = "Scan", "What was read, patch by patch, on the scan"
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
            "Place the corners", self._place, "Click on the outer corners of the four marks, in whatever order"
        )
        under.addWidget(self.place)
        self.box.addLayout(under)
        self._scan: Codes | None = None

    def _place(self) -> None:
        self.said.setText("Click on the outer corner of each of the four marks, hidden or not, in whatever order.")
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
            self.said.setText(f"Measured with {checked.measured.conditions.words()}.")
            return
        code = f"It says of itself: run {r.code.run}, page {r.code.page + 1}. " if r.code is not None else ""
        stripes = f", stripes of {r.banding * 100:.1f} %" if r.banding > 0.004 else ""
        marks, mirrored = r.marks or "No", ", mirrored" if r.mirrored else ""
        limit = checked.comparison.tolerance.p95
        self.said.setText(
            f"{code}{marks} marks, turned {r.turned:.1f}°{mirrored}, light evened by {r.unevenness * 100:.0f} %"
            f"{stripes}. Crossed patches are beyond the limit of {limit:g}."
        )


class CausePage(Page):
    """Suspects by how well they explain the print, what to do, and what tells the first two apart."""

    title, tip = "Cause", "Which suspected fault explains the print best"

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
        sure = f" Named so, it is right in {cause.sure * 100:.0f} of 100 cases." if cause.sure else ""
        self.why.setText(cause.sentence + sure)
        told = f"\nTo be sure: {cause.next_print}" if cause.next_print else ""
        self.next.setText(f"Next: {cause.next_step}{told}")
        self.suspects.show_cause(cause)
        if not cause.suspects:
            for words in (self.group, self.apart, self.hidden):
                words.setText("")
            return
        titles = {s.code: s.title for s in cause.suspects}
        others = [titles[c] for c in cause.group if c != cause.suspects[0].code]
        self.group.setText(
            f"Cannot be told apart by this {'scanner' if checked.reading is not None else 'measurement'}: "
            f"{titles[cause.suspects[0].code]} and {', '.join(others)}."
            if others
            else "No other explanation comes near."
            if cause.margin > 100
            else f"The next explanation is {cause.margin:.0f} times less likely."
        )
        known = [s for s in cause.suspects if s.Lab is not None]
        self.apart.setText("")
        if len(known) > 1 and cause.code != "right" and cause.sure < 0.97:
            patches = [checked.measured.ids[i] for i in telling_patches(known[0].Lab, known[1].Lab)]  # type: ignore[arg-type]
            self.apart.setText(
                f"{known[0].title} and {known[1].title.lower()} differ most in {', '.join(patches)}: "
                "measure these again to tell them apart."
            )
        unnoticed = sorted(set(cause.unnoticed))
        self.hidden.setText(
            f"At this tolerance these would go unnoticed: {', '.join(unnoticed[:6])}." if unnoticed else ""
        )


class BesidePage(Page):
    """Two to six prints: figures by family, and which is best where."""

    title, tip = "Side by side", "Prints beside each other: trials, routes, before and after"

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
        over = down(label("Greys: lighter or darker than wanted", 8.5, dim=True))
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
                "No prints are laid beside each other yet. Check a chart, then “Lay this print beside others” under "
                "“More …”; or open one scan with several prints of a chart on it."
            )
            self.figures.fill([])
            return
        words = best_where(prints) or [f"{prints[0].label} lies here; lay another beside it."]
        between = side_by_side(prints)
        if between is not None:
            words.append(
                f"{prints[0].label} and {prints[1].label} differ by ΔE00 {between.mean:.1f} on average, "
                f"{between.largest:.1f} at most ({between.ids[int(between.worst(1)[0])]})."
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
            self.strips.addWidget(label(f"{one.label}: {c.said}, {c.mean:.1f}", 9, bold=True), 0, number)
            self.strips.addWidget(eyes, 1, number)
        sums = [one.checked.comparison.by_family() for one in prints]
        names = list(dict.fromkeys(n for s in sums for n in s))
        self.figures.name_columns(("mean ΔE00", *(one.label for one in prints)))
        rows = [["all", *(f"{one.checked.comparison.mean:.2f}" for one in prints)]]
        rows += [[n, *(f"{s[n].mean:.2f}" if n in s else "–" for s in sums)] for n in names]
        self.figures.fill(rows)


class TrendPage(Page):
    """The checks of the condition over time, and what changed between the last and the one before."""

    title, tip = "Over time", "Every check of this condition, with its limits"

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
            self.said.setText("This condition has not been checked yet.")
            return
        check = checks[number]
        v = check.verdict
        words = [
            f"{check.at:%d.%m.%Y %H:%M}, run {check.run}: {SAID.get(v.verdict, v.verdict)}, "
            f"mean {v.mean:.1f}, 95th percentile {v.p95:.1f} ({v.chart or 'chart'}, {v.instrument or 'scanner'})."
        ]
        if number:
            changed = changed_between(checks[number - 1], check)
            words.append(
                f"Since the check before: {'; '.join(changed[:6])}."
                if changed
                else "Nothing was changed since the one before."
            )
            drift = v.mean - checks[0].verdict.mean
            words.append(f"Against the first check the mean has moved by {drift:+.1f}.")
        self.said.setText(" ".join(words))


class EyePage(Page):
    """The by-eye way: short questions about the visual page."""

    title, tip = "By eye", "Short questions about the visual page, where there is no scanner"
    answered = Signal(dict)

    def __init__(self) -> None:
        super().__init__()
        self.box.addWidget(label(VIEWING, 9.5, wrap=True))
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        self.answers: dict[str, QComboBox] = {}
        for row, question in enumerate(QUESTIONS):
            grid.addWidget(label(question.part, 11, bold=True), row, 0)
            grid.addWidget(label(question.asks, 9.5, wrap=True), row, 1)
            box = choice(question.asks)
            box.addItems(["not answered", *(words for words, _ in question.answers)])
            self.answers[question.part] = box
            grid.addWidget(box, row, 2)
        grid.setColumnStretch(1, 1)
        self.box.addLayout(grid)
        row_of = QHBoxLayout()
        self.keep = button("Keep the answers", self._keep, "They go into the logbook, as judged by eye", main=True)
        row_of.addWidget(self.keep)
        self.said = label("", 9.5, wrap=True)
        row_of.addWidget(self.said, 1)
        fill(self.box, row_of, REST)

    def _keep(self) -> None:
        given = {part: box.currentIndex() - 1 for part, box in self.answers.items() if box.currentIndex() > 0}
        if not given:
            self.said.setText("Answer at least one question first.")
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
