"""Neutral and even without a profile: a printed page, curves computed from it, and a second page that proves them."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.arrays import Floats
from fidele.characterise.balance import Balanced
from fidele.characterise.handles import Found as HandlesFound
from fidele.dataclass import dataclass
from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, down
from fidele.desk.labels import button, clear, label, section
from fidele.desk.pairs_view import PairsView
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.language import decimals, tr
from fidele.route.condition import Card
from fidele.run.beside import PrintMeasured
from fidele.session.balancing import CHROMA, TONE
from fidele.session.model import Session
from fidele.trials.record import TrialRecord


@dataclass(frozen=True, eq=False)
class Greys:
    """Greys before and after a change, L*a*b* (n, 3), what is wanted, the change in words, and whether `wanted` is a
    look of its own that casts are counted from."""

    before: Floats
    greys: Floats
    wanted: Floats
    way: str
    aimed: bool = False


class GreyPlot(QWidget):
    """Greys over tone: how they lean (a*, b*), and how far their lightness is off, as printed and through curves."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.found: Greys | None = None
        self.setMinimumSize(px(300), px(220))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(
            tr("Greys, dark to light: as the driver prints them, and as they are expected through the curves")
        )
        self.setToolTip(
            tr("Upper: a* (full) and b* (dashed) of greys. Lower: L* off the aim. Pale: now. Dark: through the curves.")
        )

    def show_found(self, found: Greys | None) -> None:
        """Show what was computed."""
        self.found = found
        if found is not None:
            said = [
                tr(
                    "{when}: greys lean by at most {max:.1f}, tones are off by L* {max2:.1f}",
                    when=when,
                    max=np.hypot(*greys[3:, 1:].T).max(),
                    max2=np.abs(greys[3:, 0] - found.wanted[3:, 0]).max(),
                )
                for when, greys in ((tr("now"), found.before), (found.way, found.greys))
            ]
            self.setAccessibleDescription("; ".join(said))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), self.theme.colour("field"))
            found = self.found
            if found is None:
                return
            high, left = self.height(), float(px(60))
            upper = QRectF(left, px(22), self.width() - left - px(34), high * 0.56 - px(22))
            lower = QRectF(left, high * 0.62, upper.width(), high * 0.38 - px(24))
            aim = found.wanted[:, 1:] if found.aimed else 0.0
            casts = [found.before[:, 1:] - aim, found.greys[:, 1:] - aim]
            tones = [s[:, :1] - found.wanted[:, :1] for s in (found.before, found.greys)]
            self._part(painter, upper, casts, "a* b*", CHROMA)
            self._part(painter, lower, tones, "L*", TONE)
            painter.setFont(font(8.5))
            for words, shade, at in ((tr("as the driver prints them"), "faint", 0.0), (found.way, "text", 0.42)):
                x = left + at * upper.width()
                painter.setPen(QPen(self.theme.colour(shade), 2))
                painter.drawLine(QPointF(x, px(12)), QPointF(x + px(22), px(12)))
                painter.setPen(self.theme.colour("text"))
                painter.drawText(QRectF(x + px(28), px(4), px(200), px(16)), Qt.AlignmentFlag.AlignVCenter, words)
            painter.setPen(self.theme.colour("dim"))
            painter.setFont(font(7.5))
            for share, said in ((0.0, tr("black")), (0.5, tr("middle")), (1.0, tr("white"))):
                below = QRectF(left + share * upper.width() - px(30), high - px(18), px(60), px(14))
                painter.drawText(below, Qt.AlignmentFlag.AlignCenter, said)

    def _part(self, painter: QPainter, room: QRectF, sets: list[Floats], name: str, most: float) -> None:
        """Draw one plot: before pale, after dark; the band within which nothing is seen to be wrong."""
        reach = max(2 * most, float(max(np.abs(s).max() for s in sets)) * 1.1)
        middle = room.center().y()

        def y(value: float) -> float:
            return middle - value / reach * room.height() / 2

        painter.fillRect(QRectF(room.left(), y(most), room.width(), y(-most) - y(most)), self.theme.colour("panel"))
        painter.setPen(QPen(self.theme.colour("line"), 1))
        painter.drawLine(QPointF(room.left(), middle), QPointF(room.right(), middle))
        painter.setFont(font(7.5))
        painter.setPen(self.theme.colour("dim"))
        right = Qt.AlignmentFlag.AlignRight
        painter.drawText(
            QRectF(0, room.top(), room.left() - 5, 13), right, tr("{name} +{reach:.0f}", name=name, reach=reach)
        )
        painter.drawText(QRectF(0, room.bottom() - 13, room.left() - 5, 13), right, tr("−{reach:.0f}", reach=reach))
        styles = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine)
        for values, shade, width in ((sets[0], "faint", 1.4), (sets[1], "text", 2.0)):
            for column in range(values.shape[1]):
                painter.setPen(QPen(self.theme.colour(shade), width, styles[column % 2]))
                count = len(values) - 1
                points = [
                    QPointF(room.left() + n / count * room.width(), y(float(v)))
                    for n, v in enumerate(values[:, column])
                ]
                painter.drawPolyline(QPolygonF(points))


class BalanceDesk(Desk):
    """Finds curves for the condition in force that make greys neutral and tones even."""

    station = "Balance"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.balancing = session.balancing
        head = self.head()
        self.keep_it = button(
            tr("Keep the curves on the card"), self._keep, tr("One step, which Undo takes back"), main=True
        )
        self.forget_it = button(tr("Without curves again"), self._forget, tr("Send the driver numbers as they are"))
        head.addWidget(self.keep_it, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self.lay = button(
            tr("Lay the page on the sheet"), self._lay, tr("87 patches, printed as pictures are: the driver converts")
        )
        self.compute = button(tr("Compute the curves"), self._compute, tr("From all pages that were measured"))
        self.aim = choice(
            tr("Aim"),
            tip=tr("What prints are to look like: neutral and even, like a screen, or like another condition of yours"),
            letters=40,
            points=9.5,
        )
        self.aim.activated.connect(lambda _: self._aim())
        self._others: list[tuple[str, str]] = []
        self._pages = down(space=4)
        self.plot = GreyPlot()
        self.said = label("", 9.5, wrap=True)
        names = tr("the driver alone"), tr("wanted"), tr("through curves")
        self.colours = PairsView(
            tr("Colours as they are printed now, as the aim wants them, and through the curves"), names
        )
        self.handles = session.handles
        self.learn = button(
            tr("Print a page for each handle"), self._learn, tr("With that one moved: what it does is learned from it")
        )
        self.compute_handles = button(
            tr("Compute the handles"), self._find, tr("The values that bring greys nearest to neutral")
        )
        self.set_them = button(tr("Put them on the card"), self._set, tr("One step, which Undo takes back"), main=True)
        self.about = label("", 9.5, wrap=True)
        self.handle_plot = GreyPlot()
        self.by_handles = QWidget()
        down(
            section(tr("2  The driver's own handles")),
            self.about,
            across(self.learn, self.compute_handles, self.set_them, SPRING),
            (self.handle_plot, 1),
            margins=(0, 0, 0, 0),
            on=self.by_handles,
        )
        self.last = section("")
        inside = QWidget()
        down(
            section(tr("1  The page, printed, pressed, and read on the desk Check")),
            self._pages,
            across(self.lay, SPRING),
            across(label(tr("Aim"), 9.5), self.aim, SPRING),
            self.by_handles,
            self.last,
            across(self.compute, self.forget_it, SPRING),
            self.said,
            self.colours,
            (self.plot, 1),
            space=8,
            margins=(0, 0, 8, 0),
            on=inside,
        )
        self.box.addWidget(scrolled(inside), 1)

    def refresh(self) -> None:
        """Show how far the work is."""
        card = self.session.card
        clear(self._pages)
        found = self.balancing.found
        mine = found[1] if found is not None and card is not None and found[0] == card.id else None
        self.plot.theme = self.theme
        self.plot.show_found(
            Greys(mine.before, mine.greys, mine.wanted, tr("through the curves"), mine.apart is not None)
            if mine is not None
            else None
        )
        self.plot.setVisible(mine is not None)
        pairs = self.balancing.pairs()
        self.colours.setVisible(pairs is not None)
        self.colours.theme = self.theme
        if pairs is not None:
            self.colours.show_pairs(pairs)
        self._show_handles()
        self.keep_it.setVisible(mine is not None and card is not None and card.balance != mine.balance)
        self.forget_it.setVisible(card is not None and card.balance is not None)
        for one in (self.lay, self.compute):
            one.setEnabled(card is not None and not self.work.busy)
        if card is None:
            self.title.setText(tr("A balance of one’s own needs a printing condition"))
            self.state.setText(tr("Make one first (F6): a printer, a paper, and the driver that converts."))
            self.said.setText("")
            return
        self.title.setText(tr("Neutral and even, without a profile: “{name}”", name=card.name))
        curves = tr("through curves of its own") if card.balance is not None else tr("and gets numbers as they are")
        self.state.setText(tr("{summary}. The driver converts {curves}.", summary=card.summary, curves=curves))
        self._show_aims(card)
        pages = self.balancing.pages() if card.owner == "driver" else []
        for page in pages[:6]:
            self._pages.addWidget(label(page.words, 9.5, wrap=True))
        if not pages:
            words = tr("No page was printed yet with what the card says now.")
            if card.owner == "fidele" and card.profile is not None:
                words = tr("Its profile balances greys by itself. Laying the page lets the driver convert instead.")
            self._pages.addWidget(label(words, 9.5, dim=True, wrap=True))
        self.compute.setEnabled(self.compute.isEnabled() and any(p.Lab is not None for p in pages))
        self.said.setText(self._words(mine) if mine is not None else "")

    def _show_handles(self) -> None:
        """Show the handles that there are, what is known of them, and what was found."""
        card, handles = self.session.card, self.handles.all()
        self.by_handles.setVisible(bool(handles))
        three, two = tr("3  What curves of Fidele's own will do"), tr("2  What curves of Fidele's own will do")
        self.last.setText(three if handles else two)
        if not handles or card is None:
            return
        known, free = self.handles.known(), not self.work.busy
        said = [
            tr("{name} stands at {value:g}", name=h.name, value=h.value)
            + (tr(", its page tells what it does") if h.name in known else tr(", nobody knows what it does"))
            for h in handles
        ]
        words = "; ".join(said) + "."
        found = self.handles.found
        mine = found[1] if found is not None and found[0] == card.id else None
        if mine is not None:
            now, then = (mine.figures(greys, mine.wanted) for greys in (mine.before, mine.after))
            values = ", ".join(
                f"{name} {decimals(f'{value:+g}')}" if value else f"{name} 0" for name, value in mine.values.items()
            )
            words += " " + tr(
                "Best: {values}. Greys lean by {lean:.1f} now, {lean2:.1f} is expected; tones are off by L* {off:.1f} "
                "now, {off2:.1f} then.",
                values=values,
                lean=now[0],
                lean2=then[0],
                off=now[1],
                off2=then[1],
            )
        self.about.setText(words)
        self.learn.setEnabled(free)
        self.compute_handles.setEnabled(free and bool(known))
        self.set_them.setVisible(mine is not None and any(h.value != mine.values.get(h.name) for h in handles))
        self.handle_plot.setVisible(mine is not None)
        self.handle_plot.theme = self.theme
        self.handle_plot.show_found(
            Greys(mine.before, mine.after, mine.wanted, tr("with the handles")) if mine is not None else None
        )

    def _learn(self) -> None:
        trials = self.session.print_trials

        def ordered(trial: TrialRecord) -> None:
            trials.ordered(trial)
            self.go.emit("Print")

        def go() -> None:
            trial = self.handles.fields()
            if not trials.by_itself(trial):
                self.work.run(tr("Trial prints: into the queue"), trials.ordering(trial), ordered)
                return

            def read(prints: list[PrintMeasured]) -> None:
                if self.guarded(trials.take, trials.shown, prints):
                    self.session.say(tr("What the handles do is known now: compute them."))
                self.refresh()

            self.work.run(tr("A page for each handle: print, press, scan"), trials.doing(trial), read)

        self.guarded(go)
        self.refresh()

    def _find(self) -> None:
        def done(found: HandlesFound) -> None:
            self.handles.take(found)
            self.refresh()

        self.guarded(lambda: self.work.run(tr("Computing the handles"), self.handles.computing(), done))
        self.refresh()

    def _set(self) -> None:
        self.guarded(self.handles.keep)
        self.refresh()

    def _show_aims(self, card: Card) -> None:
        offered = self.balancing.aims()
        if offered != self._others:
            self._others = offered
            self.aim.clear()
            for key, words in offered:
                self.aim.addItem(words, key)
        self.aim.setCurrentIndex(max(0, self.aim.findData(card.balance_like)))
        self.aim.setEnabled(len(offered) > 1 and not self.work.busy)

    def _aim(self) -> None:
        self.guarded(self.balancing.look_like, self.aim.currentData())
        self.refresh()

    @staticmethod
    def _words(found: Balanced) -> str:
        if found.apart is not None:
            return tr(
                "As the driver prints them colours are off from that look by a mean ΔE00 of {before:.1f}; through "
                "curves and a mix of red, green and blue {after:.1f} is expected, and greys lean by {lean:.1f}.",
                before=found.apart[0],
                after=found.apart[1],
                lean=float(np.percentile(np.hypot(*found.greys[len(found.greys) // 10 :, 1:].T), 95)),
            )
        dark = len(found.greys) // 10
        lean = [float(np.percentile(np.hypot(*g[dark:, 1:].T), 95)) for g in (found.before, found.greys)]
        off = [float(np.abs(g[dark:, 0] - found.wanted[dark:, 0]).max()) for g in (found.before, found.greys)]
        return tr(
            "Greys lean by {lean:.1f} as the driver prints them; through the curves {lean2:.1f} is "
            "expected. Tones are off by L* {off:.1f} now, {off2:.1f} then. The page is sure to ΔE00 "
            "{error:.1f}.",
            lean=lean[0],
            lean2=lean[1],
            off=off[0],
            off2=off[1],
            error=found.error,
        )

    def _lay(self) -> None:
        self.guarded(lambda: self.lay_chart(self.balancing.ready()))

    def _compute(self) -> None:
        def done(found: Balanced) -> None:
            self.balancing.take(found)
            self.session.say(self._words(found))
            self.refresh()

        self.guarded(lambda: self.work.run(tr("Computing the curves"), self.balancing.computing(), done))
        self.refresh()

    def _keep(self) -> None:
        self.guarded(self.balancing.keep)
        self.refresh()

    def _forget(self) -> None:
        self.guarded(self.balancing.forget)
        self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return what is good enough, and what the curves cannot do."""
        return [
            (
                tr("How"),
                tr("a page tells what the driver makes of greys; a second one, through the curves, proves them"),
            ),
            (
                tr("Good enough"),
                tr(
                    "greys lean by no more than {chroma:.0f}, tones are off by no more than L* {tone:.0f}",
                    chroma=CHROMA,
                    tone=TONE,
                ),
            ),
            (tr("The darkest"), tr("greys of the last tenth lean as the black of these inks does")),
            (
                tr("Colours"),
                tr("follow the greys where neutral is the aim; for a look, channels are mixed to turn them as well"),
            ),
        ]
