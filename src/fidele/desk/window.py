"""The window: thread across the top, shelf, desk, findings, foot."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, QSettings, Qt, QTimer, QUrl, Signal
from PySide6.QtGui import (
    QCloseEvent,
    QDesktopServices,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QPalette,
    QResizeEvent,
    QShortcut,
    QShowEvent,
)
from PySide6.QtWidgets import QAbstractButton, QFileDialog, QMainWindow, QMenu, QWidget

from fidele import units
from fidele.apart.ask import warm
from fidele.check.statistics import SAID
from fidele.desk.closing import Closing
from fidele.desk.desk import FIRST_LEFT, Desk, clock, short
from fidele.desk.desks import Desks, Sides, Stack
from fidele.desk.findings import FindingsView
from fidele.desk.foot import Foot, Steps
from fidele.desk.incoming import Incoming
from fidele.desk.kit import across, down, fill
from fidele.desk.numbers import dress_all
from fidele.desk.preferences import Preferences
from fidele.desk.screen import screen_profile
from fidele.desk.shelf import ShelfView
from fidele.desk.theme import LIGHT, THEMES, Theme, font, px, sheet
from fidele.desk.thread import STATIONS, ThreadState, ThreadView
from fidele.desk.turned_bad import TurnedBad
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.judge.finding import Action, Deed
from fidele.judge.picture import NEXT_PAGE
from fidele.language import tr, trn
from fidele.session.model import Session
from fidele.session.news import (
    Arrived,
    ConditionsChanged,
    LogChanged,
    News,
    PapersChanged,
    PrintersChanged,
    QueueChanged,
    RulesChanged,
    Said,
    ShelfChanged,
    UnitsChanged,
    WorldSeen,
)
from fidele.session.orders import Match
from fidele.session.own_profiles import MEND
from fidele.session.state import (
    CardChanged,
    CardTaken,
    CheckTaken,
    Judged,
    PiecesChanged,
    PrintKnown,
    Probes,
    RouteRead,
    RunTaken,
    Touched,
)
from fidele.session.watch import Again
from fidele.store.backup import restore_next, write_backup
from fidele.tiles import Progress

#: So many new profiles are read on the spot; more are read beside the interface.
_AT_ONCE = 40
#: Desks that show what is in the logbook and the workshop's folders.
_OF_LOG = ("Logbook", "Own profile", "Ink profile")
#: Below this width the columns beside the desk give way.
_NARROW = 1150
#: Desks that are not shown are made one by one, so many milliseconds apart.
_TURN = 30
#: The findings follow a change by this many milliseconds, so that the desk is painted first.
_FOLLOW = 20


class Window(QMainWindow):
    """One workshop in one window."""

    #: Whether desks that nobody has opened yet are made while nothing else is to do.
    eager = True
    #: News waits that was told on another thread.
    _woken = Signal()

    def __init__(self, session: Session, settings: QSettings) -> None:
        super().__init__()
        self.session = session
        self.settings = settings
        self.work = Work(self)
        self.foot = Foot()
        # Dialogs and menus are children of the foot, and take its style.
        self.incoming = Incoming(self, self.foot)
        self.closing = Closing(self, self.foot, session, self.work, settings)
        self.setWindowTitle(tr("Fidele, demo: everything in it is invented") if session.places.demo else "Fidele")
        self.setAcceptDrops(True)
        self.setMinimumSize(960, 640)
        #: What is done once the desk that was asked for is in front.
        self._upon: Callable[[], None] | None = None
        #: Whether it is closed to be opened anew.
        self.again = False
        self.theme: Theme = THEMES.get(str(settings.value("theme", "light")), LIGHT)
        self._station = self._came_from = "Artwork"
        self._findings_soon = QTimer(self, singleShot=True, interval=_FOLLOW)
        self._findings_soon.timeout.connect(self._beside)
        #: What is to be shown anew in the next turns of the event loop, once for however much news there was.
        self._stale: set[str] = set()
        self._fresh = QTimer(self, singleShot=True, interval=0)
        self._fresh.timeout.connect(self._freshen)
        #: The desk that is to be in front is made, styled and shown in turns of their own.
        self._coming = QTimer(self, singleShot=True, interval=0)
        self._coming.timeout.connect(self._come)
        self._others = QTimer(self, singleShot=True, interval=_TURN)
        self._others.timeout.connect(self._ready_others)
        self.thread_view = ThreadView()
        self.shelf_view = ShelfView(session)
        self.findings_view = FindingsView()
        self.stack = Stack()
        self.desks = Desks(self._make)
        self._turned_bad = TurnedBad()
        self._lay_out()
        self._connect()
        self.apply_theme(self.theme)
        self._restore()
        session.shelf.most = _AT_ONCE
        start = "First print" if session.first_print.untouched and settings.value(FIRST_LEFT) != "yes" else "Artwork"
        self.show_desk(str(settings.value("desk", start)))
        while self._coming.isActive():
            self._come()
        self._watch()
        self._take_up()
        self._know_print()
        self.closing.tell()
        self.foot.show_undo(session.history.next_undo)

    # Making ------------------------------------------------------------------------------------------------------

    def _make(self, kind: type[Desk]) -> Desk:
        Desk.home = self.stack
        try:
            desk = kind(self.session, self.work)
        finally:
            Desk.home = None
        desk.restore(self.settings)
        self.stack.addWidget(desk)
        desk.go.connect(lambda name: self.show_desk(name) if name else self._beside())
        desk.pick.connect(self.pick_file)
        desk.acted.connect(self.act)
        desk.opened.connect(self.show_profile)
        desk.menu_wanted.connect(self._profile_menu)
        desk.trial_wanted.connect(self.try_profile)
        desk.run_wanted.connect(self._show_run)
        desk.making_wanted.connect(self._begin_making)
        desk.files_wanted.connect(self.incoming.take_profiles)
        desk.arrived.connect(self.incoming.take_delivery)
        desk.convert_wanted.connect(self.incoming.write_converted)
        desk.house_wanted.connect(self.incoming.write_for_house)
        desk.file_wanted.connect(self.incoming.write_finished)
        return desk

    def _take_up(self) -> None:
        """Go on with the job that was in hand when the window was closed; from now on it saves itself."""
        jobs = self.session.jobs
        if jobs.left and not self.session.state.pieces:
            self.work.run(tr("Opening the job"), jobs.opening(jobs.left), jobs.take, lane="opening")
        jobs.follow()

    def _ready_others(self) -> None:
        """Style and make the desks that are not in front, a step in each turn of the event loop, while a person looks.

        Those that nobody has opened yet are loaded beside the interface.
        """
        other = next((desk for desk in self.desks.made().values() if desk.styled is not self.theme), None)
        if other is not None:
            other.take_style(self.theme)
            self._others.start()
        elif self.eager and self.isVisible() and (station := self.desks.next()) is not None:

            def made(_: None) -> None:
                self.desks[station]
                self._others.start()

            self.work.quietly("desks", lambda _: self.desks.load(station), made)

    def _lay_out(self) -> None:
        panel = self._panel = QWidget()
        panel.setObjectName("panel")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        down(self.findings_view, margins=(0, 0, 0, 0), on=panel)
        self.splitter = Sides()
        self.splitter.setHandleWidth(2)
        for widget, least in ((self.shelf_view, max(180, px(155))), (self.stack, 420), (panel, 230)):
            widget.setMinimumWidth(least)
            self.splitter.addWidget(widget)
        self.splitter.setCollapsible(0, True)
        self.splitter.setCollapsible(1, False)
        self.splitter.setStretchFactor(0, 0)
        self.splitter.setStretchFactor(1, 1)
        self.splitter.setStretchFactor(2, 0)
        self.splitter.setSizes([232, 744, 300])
        self._narrow = self._follows_screen = False
        centre = QWidget()
        whole = down(self.thread_view, space=0, margins=(0, 0, 0, 0), on=centre)
        middle = across(self.splitter)
        fill(whole, (middle, 1), self.foot)
        self.setCentralWidget(centre)
        self.resize(1280, 800)

    def _connect(self) -> None:
        self._woken.connect(self.session.live.deliver, Qt.ConnectionType.QueuedConnection)
        self.session.live.wake = self._woken.emit
        self.session.listen(self._heard)
        self.thread_view.chosen.connect(self.show_desk)
        self.findings_view.acted.connect(self.act)
        self.shelf_view.card_chosen.connect(self._take_card)
        self.shelf_view.card_menu_wanted.connect(self._card_menu)
        self.shelf_view.run_chosen.connect(self._show_run)
        self.shelf_view.card_wanted.connect(
            lambda one: self._guarded(self.session.conditions.start, self.session.devices.find(one))
        )
        self.shelf_view.making_wanted.connect(lambda: self._begin_making())
        self.shelf_view.first_wanted.connect(lambda: self.show_desk("First print"))
        self.shelf_view.printers_wanted.connect(lambda: self.show_desk("Printers"))
        self.shelf_view.profile_chosen.connect(self.show_profile)
        self.shelf_view.all_wanted.connect(lambda: self.show_desk("Profiles"))
        self.shelf_view.menu_wanted.connect(self._profile_menu)
        self.findings_view.wanted.connect(self.show_desk)
        self.foot.cancelled.connect(self.work.cancel)
        self.foot.undone.connect(lambda: self._guarded(self.session.undo))
        self.foot.steps_wanted.connect(self.show_steps)
        self.foot.wanted.connect(self.show_desk)
        self.foot.show_bench(bool(self.session.devices.hands()))
        self.foot.bench_wanted.connect(lambda: self.show_desk("Bench"))
        self.foot.report_wanted.connect(self.incoming.write_report)
        self.foot.theme_changed.connect(self.toggle_theme)
        self.foot.help_wanted.connect(self.show_help)
        self.foot.settings_wanted.connect(self.show_settings)
        self.work.started.connect(self.foot.begin)
        self.work.started.connect(lambda _: self.thread_view.show_state(self._thread_state()))
        self.work.progress.connect(self.foot.progress)
        self.work.ended.connect(self._ended)
        self.work.failed.connect(self.session.warn)
        for number, name in enumerate(STATIONS, 1):
            QShortcut(QKeySequence(f"Alt+{number}"), self, lambda n=name: self.show_desk(n))
        #: Shortcuts, and what they do.
        self.shortcuts = [(f"Alt+{n}", tr("the desk “{name}”", name=tr(name))) for n, name in enumerate(STATIONS, 1)]
        for keys, words, call in (
            ("F1", tr("help on the desk in front, and a search for every command"), self.show_help),
            ("Ctrl+O", tr("open pictures"), lambda: self.pick_file("artwork")),
            ("Ctrl+Z", tr("take the last step back"), lambda: self._guarded(self.session.undo)),
            ("Ctrl+Shift+Z", tr("do it again"), lambda: self._guarded(self.session.redo)),
            ("Ctrl+Alt+Z", tr("all steps, to take back or do again"), self.show_steps),
            ("Ctrl+P", tr("the print desk; on it, print"), self._print),
            ("Ctrl+V", tr("paste a picture, or a table of measurements"), self._paste),
            ("Ctrl+Tab", tr("the next picture in hand"), lambda: self.session.pieces.step(1)),
            ("Ctrl+Shift+Tab", tr("the one before"), lambda: self.session.pieces.step(-1)),
            ("Ctrl+J", tr("jobs"), lambda: self.show_desk("Jobs")),
            ("F2", tr("colours of the picture and the customer"), lambda: self.show_desk("Colours")),
            ("F3", tr("tuning"), lambda: self.show_desk("Tuning")),
            ("F4", tr("the bench, where there is one"), self._show_bench),
            ("F5", tr("read driver and print system back"), self.session.refresh),
            ("F6", tr("a new printing condition"), lambda: self._begin_making()),
            ("F7", tr("profiles"), lambda: self.show_desk("Profiles")),
            ("F8", tr("fold the shelf away"), self.fold_shelf),
            ("F9", tr("booth grey, for judging colour"), self.toggle_theme),
            ("F10", tr("charts"), lambda: self.show_desk("Charts")),
            ("F12", tr("settings: size of type, theme, units"), self.show_settings),
            ("F11", tr("the logbook"), lambda: self.show_desk("Logbook")),
            ("Esc", tr("stop the work under way; else leave a desk beside the thread"), self._leave),
        ):
            QShortcut(QKeySequence(keys), self, call)
            self.shortcuts.append((keys, words))

    def show_help(self) -> None:
        """Open the help on the desk in front."""
        from fidele.desk.help import Help

        made = Help(self.desk.station, self.desks, self.shortcuts, self.foot)
        made.wanted.connect(self._go_to)
        made.open()

    def show_steps(self) -> None:
        """Open the list of what was done and undone."""
        made = Steps(self.session.history.done, self.session.history.undone, self.foot)
        made.wanted.connect(lambda steps: self._guarded(self.session.undo_to, steps))
        made.open()

    def _print(self) -> None:
        """Show the print desk; print where it is in front already."""
        if self._station == "Print" and not self._coming.isActive():  # what is not seen yet is not pressed
            self.desks.print.print_it.click()
        else:
            self.show_desk("Print")

    def _leave(self) -> None:
        """Stop the work under way; where there is none, go back from a side desk to the station it was opened from."""
        if self.work.busy:
            self.work.cancel()
        elif self._station not in STATIONS:
            self.show_desk(self._came_from)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter presses what the keyboard is on, as Space does: nothing else has taken it."""
        pressed = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if pressed and isinstance(on := self.focusWidget(), QAbstractButton):
            on.click()
        else:
            super().keyPressEvent(event)

    def show_settings(self) -> None:
        """Let a person set size of type, theme and units."""
        made = Preferences(self.settings, self.session.measures, self.theme.name, self.foot)
        made.theme_chosen.connect(lambda name: self.apply_theme(THEMES[name]))
        made.reopen.connect(self._reopen)
        made.backup_wanted.connect(self._back_up)
        made.restore_wanted.connect(self._put_back)
        made.open()

    def _back_up(self) -> None:
        """Write the whole workshop into a file that is asked for."""
        proposed = str(Path.home() / f"fidele-{datetime.date.today():%Y-%m-%d}.zip")
        name, _ = QFileDialog.getSaveFileName(self.foot, tr("Back up the workshop"), proposed, tr("Backup (*.zip)"))
        if name:
            places = self.session.places
            self.work.run(
                tr("Backing up"),
                lambda progress: write_backup(places.data, places.profiles, Path(name), progress),
                lambda count: self.session.say(
                    trn("{file}: {n} file.", "{file}: {n} files.", count, file=name, n=count)
                ),
            )

    def _put_back(self) -> None:
        """Open the window anew on a backup that is asked for."""
        name, _ = QFileDialog.getOpenFileName(self.foot, tr("Restore a backup"), str(Path.home()), tr("Backup (*.zip)"))
        if name:
            self._guarded(self._put_back_from, Path(name))

    def _put_back_from(self, path: Path) -> None:
        restore_next(path, self.session.places.data)
        self._reopen()

    def _reopen(self) -> None:
        """Close the window and open it anew, with the work in hand as it is."""
        self.again = True
        self.close()

    def _go_to(self, station: str, words: str) -> None:
        """Show a desk, and the button with these words on it."""

        def focus() -> None:
            for press in self.desk.findChildren(QAbstractButton):
                if press.text().strip() == words and press.isVisibleTo(self.desk):
                    press.setFocus(Qt.FocusReason.ShortcutFocusReason)
                    return

        self.show_desk(station, focus)

    def _watch(self) -> None:
        """Follow the profile folders, the driver, cards and pictures, whoever changes them."""
        self.session.follow.start()
        self.work.quietly(tr("a copy of the logbook"), lambda _: self.session.logbook.back_up(), lambda _: None)
        if self.session.shelf.unread():
            QTimer.singleShot(0, self._read_shelf)

    def _read_shelf(self) -> None:
        """Read profiles that are new on this machine beside the interface; what is known is shown meanwhile."""
        shelf = self.session.shelf
        beside, new, guessing = shelf.beside(), shelf.unread(), self.session.profiles.guessing()

        def read(told: Progress) -> int:
            count = len(beside.entries(told))
            guessing(beside.known())
            return count

        def done(count: int) -> None:
            shelf.take_over(beside)
            if new > _AT_ONCE:
                self.session.say(tr("{count:,} profiles are on this machine.", count=count))
            self.session.profiles.changed()

        if new > _AT_ONCE:
            title = tr("Reading {new:,} profiles that are new here", new=new)
            self.work.run(title, read, done)
        else:
            self.work.quietly(tr("profiles that changed"), read, done)

    def _seen(self) -> None:
        """Read beside the interface what was seen to have changed."""
        session = self.session
        follow = session.follow
        if follow.unread and not self.work.busy:
            follow.unread = False
            self._read_shelf()
        if due := follow.due:
            follow.due = []
            read = session.watch.reading(due)

            def again(_: Progress) -> list[Again]:
                found = read()
                for _number, _stamp, one in found:
                    if not isinstance(one, str):
                        session.look_into(one)
                return found

            self.work.quietly(tr("artwork that was changed"), again, session.watch.take)
        if (arrived := follow.arrived) and not self.work.busy:
            follow.arrived = []
            self.incoming.take_arrived(arrived)
        if follow.measured and not self.work.busy:
            self.show_desk("Check")
            self.desks.check.read_file(follow.measured.pop(0))

    # Showing -----------------------------------------------------------------------------------------------------

    def _heard(self, news: News) -> None:
        match news:
            case Said():
                self.foot.say(news.sentence, self._station, news.wrong)
                self.foot.show_undo(self.session.history.next_undo)
            case ConditionsChanged() | ShelfChanged() | PrintersChanged():
                self._outdate("cards", "profiles")
                if self._station in ("Printers", "New condition"):
                    self._outdate("thread", "desk")
            case PapersChanged():
                self._outdate("profiles", "thread", "desk")
            case Arrived():
                if self.session.profiles.pending is not None:
                    self.show_desk("Arrivals")
            case LogChanged():
                self._know_print()
                self._outdate("log", *(["desk"] if self._station in _OF_LOG else []))
            case QueueChanged():
                self.desks.print.printing.follow()
            case WorldSeen():
                self._seen()
            case CardTaken() | CardChanged() | RulesChanged():
                self._know_print()
                self._outdate("figures")
            case PrintKnown():
                self._outdate("figures", "thread", "desk")
            case UnitsChanged():
                dress_all(self)
                self.session.judge_again()
                self.refresh()
            case PiecesChanged(touched=Touched.LOOK):
                self._outdate("figures")
            case RouteRead() | RunTaken() | CheckTaken():
                self._outdate("thread", "desk")
            case Judged():
                self._tell_bad()
                self._outdate("thread")

    def _know_print(self) -> None:
        """Find out beside the interface what measured pages tell of a print without a profile, where that is new."""
        finding = self.session.known_prints.finding()
        if finding is not None:
            self.work.quietly("known print", lambda _: finding(), self.session.known_prints.take)

    def _tell_bad(self) -> None:
        """Say it once when the way to the ink turns bad while a person works elsewhere, or in another program."""
        card = self.session.card
        came = self._turned_bad.new("" if card is None else card.id, self.session.stops, self._station == "Hand-off")
        if came and card is not None:
            more = tr(", and {n} more", n=len(came) - 1) if len(came) > 1 else ""
            sentence = tr(
                "The way to the ink has changed: {title}{more}. See Hand-off (Alt+4).", title=came[0].title, more=more
            )
            self.session.warn(sentence)
            if not self.isActiveWindow():
                from fidele.desk.alarm import notify

                notify(tr("The way to the ink has changed"), f"{came[0].title}{more}")

    @property
    def outdated(self) -> bool:
        """Whether a part of the window is still to show what has changed."""
        return bool(self._stale) or self._coming.isActive() or (self.desks.has(self._station) and self.desk.unfinished)

    def _outdate(self, *parts: str) -> None:
        """Have parts of the window show things as they are now, each in a turn of the event loop of its own."""
        self._stale |= set(parts)
        if self._coming.isActive():  # it shows everything as it is once it is in front
            self._stale.discard("desk")
        if "desk" in self._stale and self.desk.by_hand:
            self._stale.discard("desk")
            self.desk.refresh()
            self._findings_soon.start()
        if self._stale:
            self._fresh.start()

    def _freshen(self) -> None:
        """Show one part anew: what a person looks at first."""
        parts = ("desk", "thread", "figures", "cards", "profiles", "log")
        part = next((name for name in parts if name in self._stale), "")
        self._stale.discard(part)
        if self._stale:
            self._fresh.start()
        if part == "desk" and not self._coming.isActive():
            self.desk.refresh()
            self._findings_soon.start()
        elif part == "figures":
            self.desks.proof.want_figures(judged=True)
        elif part == "thread":
            self.thread_view.show_state(self._thread_state())
            self._findings_soon.start()
        else:
            shelf = self.shelf_view
            shown = {"cards": shelf.refresh_cards, "profiles": shelf.refresh_profiles, "log": shelf.refresh_log}
            if part in shown:  # all may have been shown meanwhile
                shown[part]()

    def refresh(self, desk: bool = True, soon: bool = False) -> None:
        """Show the thread, the open desk, and what stands beside it, as things are now.

        `soon` lets the findings follow in a turn of the event loop of their own, once for however many changes.
        """
        self.thread_view.show_state(self._thread_state())
        self._stale.discard("thread")
        if desk and not self._coming.isActive():
            self.desk.refresh()
            self._stale.discard("desk")
        if soon:
            self._findings_soon.start()
        else:
            self._beside()

    def _beside(self) -> None:
        self.shelf_view.refresh_first()
        if self._coming.isActive():  # what stands beside it comes with it
            return
        station = {"Hand-off": "hand-off"}.get(self.desk.station, self.desk.station.lower())
        mine = [f for f in self.session.findings if f.desk == station]
        held = station == "print"
        if held:
            mine = [f for f in self.session.findings if f.weight == "stop" and f.desk != "check"]
        own = self.desk.own_findings()
        others = [f for f in self.session.findings if f.weight != "note" and (own is not None or f not in mine)]
        stations = {name.lower(): name for name in self.desks}
        elsewhere = Counter(stations.get(f.desk, "Hand-off") for f in others)
        empty = tr("Nothing to find fault with here.")
        if self.session.card is None:
            empty = tr("Nothing can be judged yet: there is no printing condition. Make one with F6.")
        shown = mine if own is None else own
        self.findings_view.show_all(
            shown, dict(elsewhere), self.desk.facts(), self.desk.extra(), self.desk.pictures, empty
        )

    def _thread_state(self) -> ThreadState:
        s = self.session
        card, chain = s.card, s.chain
        words = dict.fromkeys(STATIONS, "")
        words["Artwork"] = tr("none yet") if s.artwork is None else short(s.artwork.path)
        words["Proof"] = (
            ""
            if card is None
            else (tr("{lost:.0f} % lost", lost=s.losses.lost * 100) if s.losses else tr(card.intent.value))
        )
        words["Sheet"] = s.media.name + (f", {units.size(s.placing.width, s.placing.height)}" if s.placing else "")
        if chain is not None:
            words["Hand-off"] = {0: tr("nothing converts"), 1: tr("one conversion"), 2: tr("two conversions")}.get(
                len(chain.knots), tr("many conversions")
            )
            if chain.unknown:
                words["Hand-off"] += tr(", not all known")
        held = bool(s.stops)
        words["Print"] = (
            tr("held")
            if held
            else tr("waiting")
            if s.artwork is None
            else tr("printed {clock}", clock=clock(s.run.at))
            if s.run
            else tr("ready")
        )
        if self.work.busy and "Print" in self.desks.made() and (number := self.desks.print.printing.under_way):
            words["Print"] = tr("printing run {number}", number=number)
        if card is not None:
            words["Press"] = tr(
                "{seconds:.0f} s, {temperature}",
                seconds=card.press.seconds,
                temperature=units.temperature(card.press.temperature),
            )
            if s.run is not None and s.run.pressed_at is not None:
                words["Press"] = tr("pressed {clock}", clock=clock(s.run.pressed_at))
            if card.process == "direct":
                del words["Press"]
        last = next((r for r in s.logbook.runs(20) if r.verdict), None)
        words["Check"] = tr("not checked")
        if s.checked is not None:
            words["Check"] = s.checked.comparison.said
        elif last is not None:
            words["Check"] = tr("last: {said}", said=SAID.get(last.verdict, last.verdict))
        if chain is None:
            return ThreadState(
                None, words, held, tr("No printing condition"), tr("A card says what a profile is true for.")
            )
        return ThreadState(chain, words, held, chain.headline, chain.sentence)

    @property
    def desk(self) -> Desk:
        """The open desk."""
        return self.desks[self._station]

    def _show_bench(self) -> None:
        if self.session.devices.hands():
            self.show_desk("Bench")

    def show_desk(self, name: str, upon: Callable[[], None] | None = None) -> None:
        """Open a station's desk; `upon` is called once it is in front, which takes some turns of the event loop where
        it was never open."""
        self._upon = upon
        if self._station in STATIONS:
            self._came_from = self._station
        self._station = name if name in self.desks else "Artwork"
        self.thread_view.choose(self._station, self._came_from)
        if self.desks.has(self._station) and self.desk.styled is self.theme:
            self._bring_forward()
        else:
            self._coming.start()

    def _come(self) -> None:
        """Go one step towards a desk that was never open: load it, make it, style it, show it."""
        self._coming.stop()
        if not self.desks.has(self._station) and not self.desks.loaded(self._station):
            self.desks.load(self._station)
        elif not self.desks.has(self._station):
            self.desks[self._station]
        elif self.desk.styled is not self.theme:
            self.desk.take_style(self.theme)
        else:
            self._bring_forward()
            return
        self._coming.start()

    def _bring_forward(self) -> None:
        self._coming.stop()
        self.setUpdatesEnabled(True)
        self.stack.setCurrentWidget(self.desk)
        self.desk.set_theme(self.theme)
        self.refresh(desk=False, soon=True)
        if self._upon is not None:
            upon, self._upon = self._upon, None
            upon()

    def show_profile(self, profile_id: str, page: int | None = None) -> None:
        """Open the desk of a profile; without one, the desk that a person came from."""
        if not profile_id:
            self.show_desk(self._came_from)
            return
        self.desks.profile.open(profile_id, page)
        self.show_desk("Profile")

    def _show_run(self, number: int) -> None:
        self.show_desk("Logbook", lambda: self.desks.logbook.choose(number))

    def _begin_making(self, profile_id: str = "") -> None:
        self.desks.making.begin(profile_id)
        self.show_desk("New condition")

    def _card_menu(self, card_id: str, at: QPoint) -> None:
        """Show what can be done with a printing condition, at the pointer."""
        menu = QMenu(self.foot)
        for text, call, possible in self.card_actions(card_id):
            menu.addAction(text, call).setEnabled(possible)
        menu.exec(at)

    def card_actions(self, card_id: str) -> list[tuple[str, Callable[[], None], bool]]:
        """Return what can be done with a printing condition: words, deed, and whether it can be done now."""
        conditions, mine = self.session.conditions, self.session.card
        card = conditions.need(card_id)
        in_force = mine is not None and mine.id == card_id
        locked = card.locked

        def copy(what: str = "copy", **changed: str) -> None:
            taken = {c.name for c in self.session.cards.cards()}
            names = (f"{card.name}, {what}{f' {i}' if i > 1 else ''}" for i in range(1, 999))
            name = next(n for n in names if n not in taken)
            self._guarded(lambda: conditions.copy(card_id, name, **changed))

        def look(beside: str = "") -> None:
            self.desks.card.beside(beside)
            self.show_desk("Condition")

        def export() -> None:
            name, _ = QFileDialog.getSaveFileName(
                self.foot, tr("Send this condition"), f"{card.name}.condition.zip", tr("Printing condition (*.zip)")
            )
            if name:
                self._guarded(conditions.export, card_id, Path(name))

        return [
            (tr("Put in force"), lambda: self._take_card(card_id), not in_force),
            (tr("Copy it"), copy, True),
            *(
                (tr("Copy it in {size}", size=size), partial(copy, size, size=size), True)
                for size in self.session.devices.of(card).sizes()
                if size != card.size
            ),
            *(
                (tr("Copy it for {media}", media=media), partial(copy, media, media=media), True)
                for media in conditions.other_media(card)[:4]
            ),
            *(
                (
                    tr("Copy it for the {name}", name=printer.name),
                    lambda p=printer: self._guarded(conditions.copy_to, card_id, p),
                    True,
                )
                for printer in conditions.other_printers(card)[:4]
            ),
            (tr("Lay it beside the one in force"), partial(look, card_id), not in_force and mine is not None),
            (tr("Look at the whole card"), look, in_force),
            (tr("Unlock") if locked else tr("Lock"), lambda: self._guarded(conditions.lock, not locked), in_force),
            (tr("Send as a file …"), export, True),
            (tr("Remove"), lambda: self._guarded(conditions.remove, card_id), not locked),
        ]

    def _profile_menu(self, profile_id: str, at: QPoint) -> None:
        from fidele.desk.profiles_desk import profile_menu

        profile_menu(self.session, profile_id, at, self.show_profile, self._guarded)

    # Doing -------------------------------------------------------------------------------------------------------

    def _guarded(self, call, *arguments) -> None:  # type: ignore[no-untyped-def]
        try:
            call(*arguments)
        except FideleError as error:
            self.session.warn(str(error))

    def act(self, action: Action) -> None:
        """Do what a finding's button says."""
        session, card = self.session, self.session.card
        match action.deed:
            case Deed.FOLDER:
                QDesktopServices.openUrl(QUrl.fromLocalFile(action.on))
            case Deed.SHOW:
                self._show(action.on)
            case Deed.TRY if card is not None:
                self.try_profile(card.profile or "")
            case Deed.PROBE if card is not None:
                self._guarded(self._probe)
            case Deed.PAGE:
                self.desks.artwork.page.setValue(int(action.on) + 1)
            case Deed.READINESS:
                self.desks.print.order_readiness()
                self.show_desk("Print")
            case _:
                self._guarded(session.act, action)

    def _show(self, what: str) -> None:
        """Open a desk, by its station in small letters; the profiles that fit; the profile in force, to mend or to make
        it."""
        if what == "profiles":
            self.desks.profiles.show_fitting()
            self.show_desk("Profiles")
        elif what == "profile" and self.session.card is not None:
            self.show_profile(self.session.card.profile or "", 1)
        elif what in ("mending", "one page"):
            self.desks.own.choose(MEND if what == "mending" else NEXT_PAGE)
            self.show_desk("Own profile")
        else:
            self.show_desk(next((name for name in self.desks if name.lower() == what), "Artwork"))

    def show_order(self, match: Match) -> None:
        """Show the order that a profile answers, or may answer."""
        self.desks.order.show_order(match.order.number, None if match.certain else match)
        self.show_desk("Ordered profile")

    def _probe(self) -> None:
        handoff = self.session.handoff
        probing = handoff.probing()

        def take(sent: Probes) -> None:
            handoff.take_probe(sent)

        self.work.run(tr("Probing"), lambda _: probing(), take)

    def try_profile(self, profile_id: str) -> None:
        """Print, press, scan and read a quick chart through a profile, and say whether it describes this printer."""

        def begin() -> None:
            trials = self.session.trials
            trial = trials.of_profile(profile_id)
            title = tr("Trying “{title}”: print, press, scan", title=trial.title)
            self.work.run(title, trials.trying(trial), trials.take)

        self._guarded(begin)

    def _take_card(self, card_id: str) -> None:
        """Put a card in force; the one that is in force already is shown whole."""
        if self.session.card is not None and self.session.card.id == card_id:
            self.desks.card.beside("")
            self.show_desk("Condition")
            return
        for card in self.session.cards.cards():
            if card.id == card_id:
                self._guarded(self.session.handoff.put_in_force, card)

    def _ended(self) -> None:
        self.foot.end()
        self.foot.say(self.session.said, self._station)
        self.shelf_view.refresh_log()
        QTimer.singleShot(0, self, self.refresh)

    def pick_file(self, what: str) -> None:
        """Let a person pick a file or folder: 'artwork', 'scan', 'colours', 'inbox'; folders are remembered."""
        self.incoming.pick(what)

    def take_file(self, path: Path, scan: bool = False) -> None:
        """Do the sensible thing with a file: a profile to the shelf, artwork to its desk, a scan to the check."""
        self.incoming.take(path, scan)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() or event.mimeData().hasImage():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.incoming.take_data(event.mimeData())
        event.acceptProposedAction()

    def _paste(self) -> None:
        self.incoming.take_data(QGuiApplication.clipboard().mimeData())

    def toggle_theme(self) -> None:
        """Change between the light theme and the booth."""
        self.apply_theme(THEMES["booth" if self.theme.name == "light" else "light"])

    def apply_theme(self, theme: Theme) -> None:
        """Take a theme everywhere: around the desk now, on the desk in front in the next turn of the event loop, on the
        others one by one. Nothing is painted until the first two have it."""
        self.theme = theme
        self.setUpdatesEnabled(False)
        palette = QPalette()
        palette.setColor(QPalette.ColorRole.WindowText, theme.colour("text"))
        palette.setColor(QPalette.ColorRole.Text, theme.colour("text"))
        palette.setColor(QPalette.ColorRole.Window, theme.colour("desk"))
        palette.setColor(QPalette.ColorRole.PlaceholderText, theme.colour("dim"))
        self.setPalette(palette)
        self.setFont(font())
        # Each part has a style sheet of its own: one of the window's would style thirty desks anew in one go.
        for part in (self.thread_view, self.shelf_view, self._panel, self.foot):
            part.setStyleSheet(sheet(theme))
        self.splitter.colour = theme.colour("line")
        self.thread_view.theme = theme
        self.shelf_view.set_theme(theme)
        self.findings_view.theme = theme
        self.foot.theme.setText(tr("Booth grey") if theme.name == "light" else tr("Light grey"))
        self._coming.start()
        self._others.start()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        handle = self.windowHandle()
        if handle is not None and not self._follows_screen:
            self._follows_screen = True
            handle.screenChanged.connect(lambda _: self.read_screen())
            QTimer.singleShot(0, self.read_screen)
            self._others.start()
            QTimer.singleShot(_TURN, warm)

    def read_screen(self) -> None:
        """Read the profile of the screen that the window is on; again when it moves to another one."""
        self.session.take_screen(screen_profile(self.screen()))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        narrow = self.width() < _NARROW
        if narrow != self._narrow:
            self._narrow = narrow
            shelf, panel = (186, 240) if narrow else (232, 300)
            self.splitter.setSizes([shelf, self.width() - shelf - panel, panel])

    def fold_shelf(self) -> None:
        """Fold the shelf away, or bring it back."""
        self.shelf_view.setVisible(not self.shelf_view.isVisible())

    # Staying -----------------------------------------------------------------------------------------------------

    def _restore(self) -> None:
        geometry = self.settings.value("geometry")
        if geometry is not None:
            self.restoreGeometry(geometry)
        split = self.settings.value("splitter")
        if split is not None:
            self.splitter.restoreState(split)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.closing.may_close(lambda: self.desks.print.printing if "Print" in self.desks.made() else None):
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self.settings.setValue("splitter", self.splitter.saveState())
        self.settings.setValue("theme", self.theme.name)
        for desk in self.desks.made().values():
            desk.keep(self.settings)
        self.settings.setValue("desk", self._station if self._station in STATIONS else self._came_from)
        self.session.follow.stop()
        self.session.jobs.stop()
        self.session.live.wake = lambda: None
        self.work.wait()
        super().closeEvent(event)
