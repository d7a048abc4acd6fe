"""Trial prints in the session: one thing varied in steps, printed, judged by eye and by scan; no profile needed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from fidele import units
from fidele.arrays import Floats
from fidele.chart.cgats import read as read_table
from fidele.chart.cgats import write as write_table
from fidele.chart.definition import Chart
from fidele.chart.family import made
from fidele.chart.measurement import Measurement, from_table, matched
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert, to_lab
from fidele.language import tr
from fidele.papers.guess import likeness
from fidele.route.condition import OWNER_WORDS, Card, PressData
from fidele.route.layers import MEANINGS
from fidele.route.program import program_rows
from fidele.run.beside import PrintMeasured
from fidele.run.chart_page import chart_page, chart_placing
from fidele.run.instructions import Instructions, instructions_of, write_instructions
from fidele.run.job import Job
from fidele.run.queue import Queue
from fidele.run.reader import measured_file
from fidele.run.reading import verdict_of
from fidele.run.trial import pressed_and_scanned
from fidele.session.charts import Charts
from fidele.session.checking import Checking
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import LogChanged
from fidele.session.person import person
from fidele.session.places import Places
from fidele.session.profiles import Profiles
from fidele.session.sheet import Sheet
from fidele.sheet.placing import Placing, beside
from fidele.sheet.signs import room_for
from fidele.store.logbook import Logbook
from fidele.store.trials import TrialStore
from fidele.tiles import CancelledError, Progress
from fidele.trials.aim import relative
from fidele.trials.record import LETTERS, Judged, Measured, TrialPrint, TrialRecord, now
from fidele.values import Value

if TYPE_CHECKING:
    from fidele.trials.nearness import PrintRead, Standing

#: Settings that shape colour or ink: what a trial can vary, the likeliest first.
_VARIED = (
    "stand_in",
    "quality",
    "density",
    "colour_mode",
    "improvement",
    "purpose",
    "black_ink",
    "direction",
    "colour",
)
#: Settings whose values stand in an order: from the answers the next steps are proposed.
_ORDERED = ("quality", "density")
#: What is varied is a control of the driver that hands set, by its name behind this.
_HAND = "hand:"
#: What is varied is what the press is set to, by the field of `PressData` behind this: what a trial can compare.
_PRESS = "press:"
_PRESSED: dict[str, tuple[str, tuple[float, ...]]] = {
    "seconds": (tr("Press time"), tuple(float(s) for s in (*range(20, 120, 10), *range(120, 315, 15)))),
    "temperature": (tr("Press temperature"), tuple(float(c) for c in range(160, 221, 5))),
    "pressure": (tr("Pressure"), tuple(bar / 2 for bar in range(2, 13))),
}
#: Between a chart and a picture of one's own, in mm.
_BETWEEN = 6.0
#: By how much two scans of one print differ through a scanner that nobody characterised, mean ΔE00.
_REPEAT_BARE = 0.5


#: What is varied is one handle after the other, to learn what each does (`session.handles`).
FIELDS = "handles"


class PrintTrials:
    """Makes, prints, reads and keeps trials for a session."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        devices: Devices,
        charts: Charts,
        sheet: Sheet,
        queue: Queue,
        checking: Checking,
        profiles: Profiles,
        logbook: Logbook,
        places: Places,
    ) -> None:
        self._profiles = profiles
        self._live, self._in_force, self._devices, self._charts = live, in_force, devices, charts
        self._sheet, self._queue, self._checking, self._logbook = sheet, queue, checking, logbook
        self._work = places.work
        self.store = TrialStore(places.data / "trials")
        #: The trial that is looked at.
        self.shown: TrialRecord | None = None

    # What can be tried -------------------------------------------------------------------------------------------

    def varied(self) -> list[tuple[str, str]]:
        """Return what can be varied on the printer in force, with its words: what offers two values or more."""
        card = self._live.state.card
        if card is None:
            return []
        device = self._devices.of(card)
        found = [(m, MEANINGS[m]) for m in _VARIED if len(device.offers(m, dict(card.driver))) > 1]
        found += [
            (f"{_HAND}{c.name}", tr("{name}, by hand", name=c.name)) for c in device.handles() if len(c.offered) > 1
        ]
        if card.process == "transfer":
            found += [(f"{_PRESS}{name}", words) for name, (words, _) in _PRESSED.items()]
        if len(self.values("owner")) > 1:
            found.append(("owner", tr("Who converts")))
        return found

    def values(self, varied: str) -> list[tuple[Value, str]]:
        """Return the values that a trial can compare, with their words."""
        card = self._live.state.need_card()
        device = self._devices.of(card)
        if varied == "owner":
            able = [o for o in device.owners() if o == "driver" or card.profile is not None]
            ways = [(_way(o), tr("{owner_words} converts", owner_words=OWNER_WORDS[o])) for o in able]
            others = dict.fromkeys((*(p.name for p in self._devices.programs), card.printed_from))
            for name in filter(None, others):
                if "fidele" in able:
                    ways.append(
                        (
                            _way("fidele", name),
                            tr("{owner_words} converts, {name} prints", owner_words=OWNER_WORDS["fidele"], name=name),
                        )
                    )
                if card.profile is not None:
                    ways.append((_way("program", name), tr("{name} converts through the profile", name=name)))
            return list(ways)
        if varied.startswith(_PRESS):
            name = varied.removeprefix(_PRESS)
            here = float(getattr(card.press, name))  # whatever stands between two of them is one of them
            return [(value, _pressed(name, value)) for value in sorted({*_PRESSED[name][1], here})]
        if varied.startswith(_HAND):
            return [
                (v, _signed(varied, v)) for c in device.handles() if varied == f"{_HAND}{c.name}" for v in c.offered
            ]
        return list(device.offers(varied, dict(card.driver)))

    def proposed(self, varied: str, count: int = 3) -> list[Value]:
        """Return the values that are most worth trying: names like the media's own first, else about what is set."""
        card, offered = self._live.state.need_card(), [v for v, _ in self.values(varied)]
        if varied == "stand_in":
            device = self._devices.of(card)
            mine = sorted(offered, key=lambda v: -likeness(card.media, str(v), device.name))
            return mine[:count]
        if varied.startswith((_HAND, _PRESS)):
            now_at: Value | None
            if varied.startswith(_PRESS):
                now_at = float(getattr(card.press, varied.removeprefix(_PRESS)))
            else:
                rest = self._devices.of(card).at_rest("sliders")
                now_at = card.hand.get(varied.removeprefix(_HAND), rest)
            at = offered.index(now_at) if now_at in offered else len(offered) // 2
            from fidele.trials.search import beginning

            return [offered[place] for place in beginning(len(offered), at)]
        here = _way(card.owner, card.printed_from)
        current: Value | None = here if varied == "owner" else card.driver.get(varied)
        at = offered.index(current) if current in offered else 0
        first = max(0, min(at - count // 2, len(offered) - count))
        return offered[first : first + count]

    # Making ------------------------------------------------------------------------------------------------------

    def make(self, varied: str, values: Sequence[Value], chart: str = "quick", own: bool = False) -> TrialRecord:
        """Make a trial of at least two values and keep it.

        `chart` '' takes the picture in hand; with `own` that lies beside the chart on each sheet.

        Raises
        ------
        FideleError
            When there are too few or too many values, or no picture is in hand.
        """
        card = self._live.state.need_card()
        if not 2 <= len(values) <= len(LETTERS):
            raise FideleError(
                tr("A trial compares two to {n} prints; {n2} are chosen.", n=len(LETTERS), n2=len(values))
            )
        words, device = dict(self.values(varied)), self._devices.of(card)
        artwork = self._live.state.artwork
        own = own or not chart
        if own and (artwork is None or self._live.state.chart is not None):
            raise FideleError(tr("Open a picture of your own first, or choose a chart for the trial."))
        trial_id = self.store.fresh()
        prints = []
        for letter, value in zip(LETTERS, values, strict=False):
            title = words.get(value, str(value))
            changes: dict[str, object]
            if varied == "owner":
                changes = _by_way(str(value))
            elif varied.startswith(_PRESS):
                changes = {"press": _at_press(card, varied.removeprefix(_PRESS), value)}
            elif varied.startswith(_HAND):
                changes = {"hand": _handed(card, device, varied.removeprefix(_HAND), value)}
            else:
                changes = {"driver": device.possible(card.driver | {varied: value})}
            prints.append(_print(card, trial_id, letter, title, changes))
        what = dict(self.varied()).get(varied, varied)
        name = f"{what}: {', '.join(p.title for p in prints)}"
        picture = str(artwork.path) if own and artwork is not None else ""
        trial = TrialRecord(
            id=trial_id, title=name, made=now(), varied=varied, chart=chart, picture=picture, prints=tuple(prints)
        )
        self._keep(trial)
        self._live.say(tr("Trial of {n} prints: {name}.", n=len(prints), name=name))
        return trial

    def make_fields(self, values: dict[str, Value]) -> TrialRecord:
        """Make a trial whose prints each have one handle of the driver moved: what it does is learned from them.

        Raises
        ------
        FideleError
            When there are more handles than letters.
        """
        card = self._live.state.need_card()
        if len(values) > len(LETTERS):
            raise FideleError(tr("A trial has at most {n} prints.", n=len(LETTERS)))
        device, trial_id = self._devices.of(card), self.store.fresh()
        prints = []
        for letter, (name, value) in zip(LETTERS, values.items(), strict=False):
            moved = {"hand": _handed(card, device, name, value)}
            prints.append(_print(card, trial_id, letter, _signed(f"{_HAND}{name}", value), moved))
        name = tr("What the handles do: {titles}", titles=", ".join(p.title for p in prints))
        trial = TrialRecord(id=trial_id, title=name, made=now(), varied=FIELDS, chart="neutral", prints=tuple(prints))
        self._keep(trial)
        self._live.say(tr("{n} pages, each with one handle moved: print, press and measure them.", n=len(prints)))
        return trial

    def _keep(self, trial: TrialRecord) -> None:
        self.store.save(trial)
        self.shown = trial

    def show(self, trial_id: str) -> None:
        """Look at a kept trial."""
        self.shown = next((t for t in self.store.all() if t.id == trial_id), self.shown)

    # Printing ----------------------------------------------------------------------------------------------------

    def _job(self, trial: TrialRecord, one: TrialPrint, device: Printer, lying: Job | None = None) -> Job:
        profile = self._live.state.profile if one.card.owner != "driver" else None
        if not trial.chart:
            job = lying or self._sheet.job()
            parts = tuple(replace(part, card=one.card, profile=profile) for part in job.lying)
            card = one.card.model_copy(update={"sheet": one.card.sheet.model_copy(update={"identity": True})})
            return replace(job, lying=parts, card=card)
        chart = made(trial.chart)
        self._charts.keep(chart)
        page = chart_page(chart, 0, one.card, 0, note=f"{one.letter} · {one.title}")
        media = device.media(one.card.size, one.card.feed)
        if lying is None:
            return Job.of(page, chart_placing(chart, media), one.card, profile, chart)
        part = lying.lying[0]
        at, by = beside(media, chart.layout.page, (part.placing.width, part.placing.height), _BETWEEN)
        share = 1 - room_for(identity=True, cut=False)[1] / by.height  # beneath it stands what it is
        by = Placing(by.x + by.width * (1 - share) / 2, by.y, by.width * share, by.height * share)
        job = Job.of(page, at, one.card, profile, chart)
        own = replace(part, placing=by, card=one.card, profile=profile, behind=None, copy=1, copies=1, panel="")
        return replace(job, lying=(*job.lying, own))

    def order(self, trial: TrialRecord) -> TrialRecord:
        """Send every print of a trial that has no run yet to the queue, at once. See `ordering`."""
        return self.ordered(self.ordering(trial)(lambda _: True))

    def ordering(self, trial: TrialRecord) -> Callable[[Progress], TrialRecord]:
        """Return the work of sending every print of a trial that has no run yet to the queue, beside the interface.

        Each goes with its own settings, and its page is drawn for it. What it returns is to be given to `ordered`.

        Raises
        ------
        FideleError
            When the printer is not here, or an own picture is no longer in hand.
        """
        card = self._live.state.need_card()
        if trial.picture:
            artwork = self._live.state.artwork
            if artwork is None or str(artwork.path) != trial.picture:
                raise FideleError(tr("Open {name} first: the trial is of that picture.", name=Path(trial.picture).name))
        device = self._devices.printer_of(card.printer)
        lying = self._sheet.job() if trial.picture else None

        def work(progress: Progress) -> TrialRecord:
            prints = []
            going = True
            for number, one in enumerate(trial.prints):
                going = going and progress(number / len(trial.prints))  # those that are in the queue stay there
                if going and not one.run:
                    job, file = self._job(trial, one, device, lying), self._file(trial, one)
                    run = self._queue.order(job, settings=device.settings_for(one.card), target=file)
                    one = one.model_copy(update={"run": run})  # noqa: PLW2901
                    if file is not None:
                        write_instructions(self._instructions(one, file), file.with_suffix(".pdf"))
                prints.append(one)
                # Kept after each: whatever ends this, no print is ordered twice.
                sent = trial.model_copy(update={"prints": (*prints, *trial.prints[len(prints) :])})
                self.store.save(sent)
            return sent

        return work

    def ordered(self, trial: TrialRecord) -> TrialRecord:
        """Keep a trial whose prints were sent to the queue, and say so."""
        prints = [one for one in trial.prints if one.run]
        self._keep(trial)
        if not prints:
            return trial
        said = tr(
            "{n} prints of the trial are in the queue, labelled {letter} and on.",
            n=len(prints),
            letter=prints[0].letter,
        )
        by_hand = [p for p in prints if self._file(trial, p) is not None]
        if by_hand:
            letters = tr(" and ").join(p.letter for p in by_hand)
            said += tr(
                " {letters} will lie as files in {folder}: print them as the sheet beside each says.",
                letters=letters,
                folder=self.store.folder,
            )
        self._live.say(said)
        return trial

    def _file(self, trial: TrialRecord, one: TrialPrint) -> Path | None:
        """Return where a print's finished file goes for a program that a person works at; None where none is needed."""
        name = one.card.printed_from
        if not name or self._devices.program(name).runs_here:
            return None
        return self.store.folder / tr("{id} {letter}.png", id=trial.id, letter=one.letter)

    def _instructions(self, one: TrialPrint, file: Path) -> Instructions:
        rows = program_rows(
            one.card, self._profiles.title_in_force, self._devices.program(one.card.printed_from).places, None
        )
        return instructions_of(one.card, rows, file.name, one.run)

    def by_itself(self, trial: TrialRecord) -> bool:
        """Whether stand-ins for table, press and scanner are here that do a whole trial; no other program prints."""
        d = self._devices
        stand = d.table is not None and d.press is not None and d.scanner is not None
        return stand and bool(trial.chart) and not trial.picture and not any(p.card.printed_from for p in trial.prints)

    def doing(self, trial: TrialRecord) -> Callable[[Progress], list[PrintMeasured]]:
        """Return the work of printing, pressing, scanning and reading a trial's charts, beside the interface.

        Raises
        ------
        FideleError
            When it is of a picture, another program prints, or nothing here can press and scan by itself.
        """
        if not self.by_itself(trial):
            raise FideleError(tr("Print it, press it, and scan the prints: nothing here does that by itself."))
        devices, logbook, chart = self._devices, self._logbook, made(trial.chart)
        self._charts.keep(chart)
        reader, profile = self._checking.reader(), self._live.state.profile
        numbers: dict[str, int] = {}
        for one in trial.prints:
            self._sending(one.card)  # a clear word now rather than after the first print
        for one in trial.prints:
            device, card = devices.printer_of(one.card.printer), one.card
            title = tr("{title}, trial {letter}: {title2}", title=chart.title, letter=one.letter, title2=one.title)
            numbers[one.letter] = logbook.add_run(
                title, card.model_dump_json(), card.profile, device.settings_for(card), {}, ""
            )
        prints = tuple(p.model_copy(update={"run": numbers[p.letter]}) for p in trial.prints)
        self._keep(trial.model_copy(update={"prints": prints}))

        def work(progress: Progress) -> list[PrintMeasured]:
            read: list[PrintMeasured] = []
            for index, one in enumerate(prints):

                def told(share: float, done: int = index) -> bool:
                    if not progress((done + share) / len(prints)):
                        raise CancelledError
                    return True

                sending = self._sending(one.card)
                label = tr(
                    "Trial {id} · {letter} · {title} · run {run}",
                    id=trial.id,
                    letter=one.letter,
                    title=one.title,
                    run=one.run,
                )
                mine = None if one.card.owner == "driver" else profile
                scan = pressed_and_scanned(one.card, mine, label, sending, devices, one.run, told, chart)
                read += _of_run(reader.prints(scan, [chart]), one)
            return read

        return work

    def _sending(self, card: Card) -> Printer:
        """Return the printer as a print of a trial needs it: with its settings, and converting where it is to."""
        device = self._devices.printer_of(card.printer)
        entry = self._profiles.shelf.find(card.profile) if card.profile and card.owner == "system" else None
        sending = device.sending(device.settings_for(card), entry.path if entry is not None else None)
        converting = [x.name for x in sending.layers(card, None) if x.converts]
        if converting != ([] if card.owner in ("fidele", "program") else [card.owner_layer]):
            raise FideleError(
                tr(
                    "“{name}” cannot be set up here as a trial: {layers} would convert. Mend the hand-off first.",
                    name=card.name,
                    layers=_layers(converting),
                )
            )
        return sending

    # Reading -----------------------------------------------------------------------------------------------------

    def take(self, trial: TrialRecord, read: Sequence[PrintMeasured]) -> TrialRecord:
        """Keep what was read of a trial's prints, and say how they stand.

        Raises
        ------
        FideleError
            When none of what was read is a print of this trial.
        """
        count = self.keep_read(trial, read)
        return self.stands(trial, self.standing(trial, self.repeat), count)

    @property
    def repeat(self) -> float | None:
        """How far one print comes out from scan to scan, None for what a characterised scanner keeps."""
        return None if self._checking.scanner.path is not None else _REPEAT_BARE

    def keep_read(self, trial: TrialRecord, read: Sequence[PrintMeasured]) -> int:
        """Keep what was read of a trial's prints; return of how many of them it is.

        Raises
        ------
        FideleError
            When none of what was read is a print of this trial.
        """
        mine = [p for p in read if trial.of_run(p.run) is not None]
        if not mine:
            raise FideleError(
                tr("None of the {n} prints that were read is of this trial: they say other runs.", n=len(read))
            )
        for one in mine:
            write_table(measured_file(self._work, one.run), one.checked.table)
            self._logbook.add_verdict(one.run, verdict_of(one.checked))
        self._live.tell(LogChanged())
        return len(mine)

    def stands(self, trial: TrialRecord, found: Standing | None, count: int) -> TrialRecord:
        """Keep and say how a trial's prints stand (`standing`), of which `count` were read just now."""
        if found is None:
            missing = [p.letter for p in trial.prints if not measured_file(self._work, p.run).exists()]
            self._live.say(
                tr("{n} of the prints were read; {missing} still to be scanned.", n=count, missing=", ".join(missing))
            )
            self._keep(trial)
            return trial
        bare = self.repeat is not None
        through = tr("a scanner taken for sRGB") if bare else tr("a characterised scanner")
        measured = Measured(
            when=now(),
            off={f.name: {k: round(v, 2) for k, v in f.off.items()} for f in found.families},
            best={f.name: f.best for f in found.families},
            sentence=found.sentence,
            through=through,
            notes=found.notes,
        )
        trial = trial.model_copy(update={"measured": (*trial.measured, measured)})
        self._keep(trial)
        self._live.say(found.sentence)
        return trial

    def standing(self, trial: TrialRecord, repeat: float | None = None) -> Standing | None:
        """Return how the measured prints of a trial stand, None while fewer than two were read."""
        if not trial.chart:
            return None
        chart, found = made(trial.chart), []
        for one in trial.prints:
            path = measured_file(self._work, one.run)
            if one.run and path.exists():
                measured = matched(from_table(read_table(path), str(path)), chart.ids, chart.rgb)
                found.append((one, measured))
        if len(found) < 2:
            return None
        shared = [s for s in chart.ids if all(s in set(m.ids) for _, m in found)]
        prints = [_print_read(chart, one, m, shared) for one, m in found]
        from fidele.trials.nearness import REPEAT, standing

        return standing(prints, REPEAT if repeat is None else repeat, self._proof(prints[0].rgb))

    def _proof(self, rgb: Floats) -> Floats | None:
        """Return what the profile in force promises of sRGB values (n, 3), relative to white; None without one."""
        state = self._live.state
        if state.card is None or state.profile is None or state.profile.channels != 3:
            return None
        device = convert(rgb.astype(np.float32), srgb(), state.profile, state.card.intent, state.card.bpc)
        return relative(to_lab(device, state.profile, Intent.ABSOLUTE).astype(float), rgb)

    # Judging -----------------------------------------------------------------------------------------------------

    def answer(self, trial: TrialRecord, family: str, best: str, light: str = "") -> TrialRecord:
        """Keep what somebody saw in a family of colours; `best` '' is no difference."""
        if best and trial.letter(best) is None:
            raise FideleError(tr("There is no print {best} in this trial.", best=best))
        said = Judged(family=family, best=best, who=person(), when=now(), light=light)
        trial = trial.model_copy(update={"seen": (*trial.seen, said)})
        self._keep(trial)
        return trial

    def following(self, trial: TrialRecord) -> tuple[list[Value], str] | None:
        """Return the values to try next after a trial and all like it before, and what is believed; none at the end.

        None where its setting has no order, or nothing was seen or measured of it yet.
        """
        offered = [value for value, _ in self.values(trial.varied)]
        ordered = trial.varied.startswith((_HAND, _PRESS)) or trial.varied in _ORDERED
        if not ordered or len(offered) < 3:
            return None
        mine = trial.prints[0].card
        alike = [
            one
            for one in reversed(self.store.all())
            if (one.varied, one.chart, one.picture) == (trial.varied, trial.chart, trial.picture)
            and (one.prints[0].card.printer, one.prints[0].card.media) == (mine.printer, mine.media)
            and one.made <= trial.made
        ]
        from fidele.trials.search import Round, following

        rounds, rest = [], self._devices.of(mine).at_rest("sliders")
        for one in alike:
            values = {p.letter: _varied_value(one, p, rest) for p in one.prints}
            places = {letter: offered.index(v) for letter, v in values.items() if v in offered}
            result = one.result
            if result is not None and len(places) > 1:
                rounds.append(Round(tuple(sorted(places.values())), places.get(result) if result else None))
        if not rounds or trial.result is None:
            return None
        found = following(len(offered), rounds)
        words = dict(self.values(trial.varied))
        best = words.get(offered[found.best], str(offered[found.best]))
        return [offered[place] for place in found.places], tr(
            "Best so far: {best}. {words}", best=best, words=found.words
        )

    def choose(self, trial: TrialRecord, letter: str) -> TrialRecord:
        """Take a print's setting into the condition in force, as a step that can be undone.

        Raises
        ------
        FideleError
            When the condition in force is of another printer.
        """
        one, card = trial.letter(letter), self._live.state.need_card()
        if one is None or one.card.printer != card.printer:
            raise FideleError(tr("The trial was of another printer than the condition in force."))
        changed: dict[str, object] = {"driver": dict(one.card.driver)}
        if trial.varied.startswith(_HAND) or trial.varied == FIELDS:
            changed = {"hand": dict(one.card.hand)}
        if trial.varied.startswith(_PRESS):
            changed = {"press": one.card.press}
        if trial.varied == "owner":
            changed = {"owner": one.card.owner, "printed_from": one.card.printed_from}
        self._in_force.change(tr("Take “{title}” from a trial", title=one.title), **changed)
        trial = trial.model_copy(update={"taken": letter, "ended": True})
        self._keep(trial)
        self._live.say(tr("“{title}” belongs to “{name}” now.", title=one.title, name=card.name))
        return trial

    def remove(self, trial_id: str) -> None:
        """Forget a trial; its runs stay in the logbook."""
        self.store.remove(trial_id)
        if self.shown is not None and self.shown.id == trial_id:
            self.shown = None


def _print(card: Card, trial_id: str, letter: str, title: str, changes: Mapping[str, object]) -> TrialPrint:
    """Return a print with a condition of its own, so that what a trial shows stands in no other's history."""
    mine = {
        "id": tr("trial {trial_id} {letter}", trial_id=trial_id, letter=letter),
        "name": f"{card.name}, {title}",
        "history": [],
    }
    return TrialPrint(letter=letter, title=title, card=card.model_copy(update={**changes, **mine}))


def _signed(varied: str, value: Value) -> str:
    said = f"{value:+d}" if isinstance(value, int) and value else str(value)
    return f"{varied.removeprefix(_HAND)} {said}"


def _pressed(name: str, value: float) -> str:
    """Return a setting of the press in words, in the units that are chosen."""
    if name == "temperature":
        return units.temperature(value)
    return tr("{value:g} s", value=value) if name == "seconds" else units.pressure(value)


def _at_press(card: Card, name: str, value: Value) -> PressData:
    return PressData.model_validate(card.press.model_dump() | {name: value})


def _handed(card: Card, device: Printer, name: str, value: Value) -> dict[str, Value]:
    """Return the hand values of a card with one of them set; what rests is not named."""
    rest = device.at_rest("sliders")
    return {k: v for k, v in card.hand.items() if k != name} | ({name: value} if value != rest else {})


def _varied_value(trial: TrialRecord, one: TrialPrint, rest: Value | None) -> Value | None:
    """Return the value that a print of a trial has of what is varied; a hand control that is not named is at `rest`."""
    if trial.varied.startswith(_HAND):
        return one.card.hand.get(trial.varied.removeprefix(_HAND), rest)
    if trial.varied.startswith(_PRESS):
        return float(getattr(one.card.press, trial.varied.removeprefix(_PRESS)))
    return one.card.driver.get(trial.varied)


def _way(owner: str, program: str = "") -> str:
    """Return who converts, and the other program that prints, as one value of a trial."""
    return f"{owner} {program}".rstrip()


def _by_way(way: str) -> dict[str, object]:
    """Return what of a card says who converts and which program prints."""
    owner, _, program = way.partition(" ")
    return {"owner": owner, "printed_from": program}


def _layers(converting: list[str]) -> str:
    words = {"system": tr("the print system"), "driver": tr("the driver"), "panel": tr("the printer")}
    return tr(" and ").join(words.get(name, name) for name in converting) or tr("nothing")


def _of_run(prints: Sequence[PrintMeasured], one: TrialPrint) -> list[PrintMeasured]:
    """Return the first print that was read, as that of a trial's run: it was laid on the glass a moment ago."""
    return [replace(prints[0], run=one.run, label=f"{one.letter}: {one.title}")] if prints else []


def _print_read(chart: Chart, one: TrialPrint, measured: Measurement, shared: Sequence[str]) -> PrintRead:
    rows = [chart.ids.index(s) for s in shared]
    from fidele.trials.nearness import PrintRead

    return PrintRead(one.letter, one.title, chart.rgb[rows], measured.rows(tuple(shared)).Lab)
