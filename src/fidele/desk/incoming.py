"""What comes into the window and goes out as files: dropped, pasted, picked, watched; converted files written."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Protocol, TypeVar

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMimeData, QSettings, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from fidele.artwork.convert_files import NAME, Order, convert_file, named, write_converted
from fidele.artwork.open import ENDINGS as PICTURE_ENDINGS
from fidele.artwork.open import KINDS, open_artwork
from fidele.artwork.picture import Artwork
from fidele.chart.measured_file import ENDINGS as MEASURED
from fidele.chart.measured_file import kind_of
from fidele.desk.desk import Desk
from fidele.desk.desks import Desks
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.icc.spaces import GREYS, SENDS, space_named
from fidele.icc.transform import Intent
from fidele.language import tr, trn
from fidele.run.instructions import write_instructions
from fidele.run.job import Printed
from fidele.run.kept import file_hash
from fidele.session.batch import pictures_in
from fidele.session.customers import LISTS, read_colours
from fidele.session.model import Session
from fidele.session.news import LogChanged
from fidele.session.orders import Match
from fidele.session.piece import Piece
from fidele.session.report import write_report
from fidele.store.cards import Exported, holds_card, read_export
from fidele.store.jobs import is_job
from fidele.store.parcel import ENDINGS, LEAFLETS, PACKED
from fidele.store.shelf import Delivery, Installed
from fidele.tiles import CancelledError, Progress
from fidele.tuning.conversion import Conversion

_WRITTEN = tr("TIFF (*.tif);;PNG (*.png);;JPEG (*.jpg);;PDF (*.pdf)")


_T = TypeVar("_T")


class Host(Protocol):
    """The window for which files are taken: what it shows, and which desks take files of their own."""

    session: Session
    settings: QSettings
    work: Work
    desks: Desks

    @property
    def desk(self) -> Desk:
        """The open desk."""
        ...

    def show_desk(self, name: str) -> None:
        """Open a desk."""
        ...

    def show_profile(self, profile_id: str) -> None:
        """Open the desk of a profile."""
        ...

    def show_order(self, match: Match) -> None:
        """Show the order that a profile answers, or may answer."""
        ...


class Incoming:
    """Takes files for a window and writes those it is asked for; dialogs open over `parent`."""

    def __init__(self, window: Host, parent: QWidget) -> None:
        self._parent = parent
        self._window = window
        self._session = window.session

    def _folder(self, what: str) -> str:
        return str(self._window.settings.value(f"folder/{what}", str(Path.home())))

    def _remember(self, what: str, folder: Path) -> None:
        self._window.settings.setValue(f"folder/{what}", str(folder))

    def _guarded(self, call, *arguments) -> None:  # type: ignore[no-untyped-def]
        try:
            call(*arguments)
        except FideleError as error:
            self._session.warn(str(error))

    # Coming in ---------------------------------------------------------------------------------------------------

    def pick(self, what: str) -> None:
        """Let a person pick artwork, a scan, a list of colours, or a folder to watch; the folder is remembered."""
        if what in ("inbox", "inbox-convert"):
            self._pick_inbox(what == "inbox-convert")
            return
        kinds = " ".join(KINDS) if what != "colours" else " ".join(f"*{e}" for e in LISTS)
        if what == "scan":
            kinds = f"{kinds} {' '.join(f'*{e}' for e in MEASURED)}"
        titles = {"artwork": tr("Open pictures"), "colours": tr("Import a list of colours")}
        title = titles.get(what, tr("Open a scan of the chart, or measurements"))
        named = tr("Colours ({kinds})", kinds=kinds) if what == "colours" else tr("Pictures ({kinds})", kinds=kinds)
        if what == "artwork":
            names, _ = QFileDialog.getOpenFileNames(self._parent, title, self._folder(what), named)
        else:
            name, _ = QFileDialog.getOpenFileName(self._parent, title, self._folder(what), named)
            names = [name] if name else []
        if names:
            self._remember(what, Path(names[0]).parent)
        if what == "colours":
            for name in names:
                self._take_colours(Path(name))
        else:
            self.take_all([Path(name) for name in names], what == "scan")

    def _pick_inbox(self, convert: bool) -> None:
        folder = QFileDialog.getExistingDirectory(self._parent, tr("Watch which folder?"), self._folder("inbox"))
        if not folder:
            return
        self._remember("inbox", Path(folder))
        into = None
        if convert:
            title = tr("Where do the converted files go?")
            chosen = QFileDialog.getExistingDirectory(self._parent, title, self._folder("converted"))
            if not chosen:
                return
            self._remember("converted", Path(chosen))
            into = Path(chosen)
        self._guarded(self._session.inbox.watch, Path(folder), into)

    def take(self, path: Path, scan: bool = False) -> None:
        """Do the sensible thing with a file: a profile to the shelf, artwork to its desk, a scan to the check."""
        self.take_all([path], scan)

    def take_all(self, paths: list[Path], scan: bool = False) -> None:
        """Do the sensible thing with each of some files; the pictures among them are opened one after the other."""
        before = self._window.desk
        if before.station == "Batch" and not scan:  # pictures and folders go on its list, all else where it belongs
            listed = [path for path in paths if path.is_dir() or path.suffix.lower() in PICTURE_ENDINGS]
            if listed:
                self._window.desks.batch.add(listed)
            paths = [path for path in paths if path not in listed]
        folders = [path for path in paths if path.is_dir()]
        if folders and not scan:
            rest = [path for path in paths if path not in folders]
            look = partial(_held_in, folders)
            title = tr("Looking into {name}", name=folders[0].name)
            self._window.work.run(title, look, lambda found: self._take_files([*rest, *found], False), lane="opening")
        else:
            self._take_files(paths, scan)

    def _take_files(self, paths: list[Path], scan: bool) -> None:
        """Take files, and folders with profiles in them."""
        before = self._window.desk
        pictures = [path for path in paths if not self._elsewhere(path, scan)]
        if pictures:
            self.open_pictures(pictures, show=self._window.desk is before)

    def _elsewhere(self, path: Path, scan: bool) -> bool:
        """Take a file that is no artwork where it belongs; False for artwork."""
        window, session = self._window, self._session
        ending, station = path.suffix.lower(), window.desk.station
        if ending == ".zip" and is_job(path):
            window.desks.jobs.take_in(path)
        elif ending == ".zip":
            self._beside(path, partial(_packed, session.profiles.looking(), path), self._take_packed)
        elif path.is_dir() or ending in ENDINGS or ending in PACKED:
            self.take_profiles([path])
        elif ending in LEAFLETS and station == "Profile":
            window.desks.profile.take_leaflet(path)
        elif ending in PICTURE_ENDINGS and station == window.desks.trial.station and session.print_trials.shown:
            window.desks.trial.read_scan(path)
        elif ending in PICTURE_ENDINGS:
            if not scan and station != "Check":
                return False
            window.show_desk("Check")
            self._guarded(window.desks.check.read_file, path)
        elif kind := kind_of(path):
            self._take_measured(path, kind, scan)
        else:
            session.say(
                tr(
                    "{name} is neither a picture (PNG, JPEG, TIFF, WebP, PDF, SVG) nor a profile (.icc, .icm, zip, "
                    "mail) nor measurements or a list of colours (CGATS, CxF, CSV). A leaflet is dropped on its "
                    "profile's desk.",
                    name=path.name,
                )
            )
        return True

    def _take_measured(self, path: Path, kind: str, scan: bool) -> None:
        """Take a text file of colours: on the desk in front, else measurements to the check, lists to the colours."""
        window, station = self._window, self._window.desk.station
        if station == "Colours" or (station not in ("Check", "Charts", "Ink profile") and kind != "CGATS" and not scan):
            window.show_desk("Colours")
            self._take_colours(path)
        elif station == "Charts" and not scan:
            window.desks.charts.bring_file(path)
        elif station == "Ink profile":
            window.desks.ink.take_file(path)
        else:
            window.show_desk("Check")
            self._guarded(window.desks.check.read_file, path)

    def _beside(self, path: Path, read: Callable[[], _T], take: Callable[[_T], object]) -> None:
        """Read a file beside the interface, and take what it held."""
        self._window.work.run(
            tr("Reading {name}", name=path.name),
            lambda _: read(),
            lambda found: self._guarded(take, found),
            lane="opening",
        )

    def _take_colours(self, path: Path) -> None:
        customers = self._session.customers
        self._beside(path, lambda: read_colours(path), lambda found: customers.take_in(found, path.name))

    def _take_packed(self, held: Exported | Delivery) -> None:
        if isinstance(held, Delivery):
            self.take_delivery(held)
        else:
            self._session.conditions.take_in(held)

    def open_pictures(self, paths: list[Path], arrived: str = "", show: bool = True) -> None:
        """Open pictures beside the interface, and take in hand what could be opened.

        `arrived` is the folder that they arrived in; with `show` the artwork desk is opened then.
        """
        session, supposing = self._session, self._session.sources.supposing()

        def read(told: Progress) -> list[Artwork | str]:
            # What the first picture is shown with, not to be loaded while it is painted.
            from fidele.kernels import colours, grids, transforms

            _ = (colours, grids, transforms)
            found: list[Artwork | str] = []
            for number, path in enumerate(paths):
                if not told(number / len(paths)):
                    raise CancelledError
                try:
                    found.append(open_artwork(path, suppose=supposing.of(path)))
                    file_hash(path)  # known by the time that it is ordered
                except FideleError as error:
                    found.append(str(error))
            if pictures := [one for one in found if isinstance(one, Artwork)]:
                session.look_into(pictures[-1])
            return found

        def opened(found: list[Artwork | str]) -> None:
            artworks = [one for one in found if isinstance(one, Artwork)]
            refused = [one for one in found if isinstance(one, str)]
            session.pieces.adopt_all(artworks)
            if artworks and arrived:
                session.say(
                    tr(
                        "{name} arrived in {arrived}.",
                        name=", ".join(one.path.name for one in artworks[:3]),
                        arrived=arrived,
                    )
                )
            elif len(artworks) == 1:
                one = artworks[0]
                session.say(
                    tr(
                        "{name} opened: {width} x {height} pixels, {words}.",
                        name=one.path.name,
                        width=one.width,
                        height=one.height,
                        words=one.slip.words,
                    )
                )
            elif artworks:
                session.say(tr("{n} of {n2} pictures are opened.", n=len(artworks), n2=len(found)))
            for why in reversed(refused):  # each is in the list of messages; the first is seen in the foot
                session.say(why)
            if len(refused) > 1:
                session.say(
                    tr(
                        "{n} of {n2} could not be opened; Messages say why. {refused}",
                        n=len(refused),
                        n2=len(found),
                        refused=refused[0],
                    )
                )
            if artworks and show:
                self._window.show_desk("Artwork")

        title = (
            tr("Opening {name}", name=paths[0].name) if len(paths) == 1 else tr("Opening {n} pictures", n=len(paths))
        )
        self._window.work.run(title, read, opened, lane="opening")

    def take_data(self, data: QMimeData) -> None:
        """Take what was dropped or pasted: files, a picture, or a table of measurements."""
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        if paths:
            self.take_all(paths)
            return
        if data.hasImage():
            self._paste(QImage(data.imageData()))
        elif data.hasUrls():
            self._session.say(tr("Only files on this machine can be dropped here."))
        elif data.hasText() and data.text().strip():
            self._guarded(self._paste_table, data.text())
        else:
            self._session.say(tr("There is no picture and no table to paste."))

    def _paste_table(self, text: str) -> None:
        """Take measurements that were copied from a table, as a file of the workshop."""
        path = self._session.pieces.keep_pasted(text.encode(), ".txt")
        if not kind_of(path):
            path.unlink()
            self._session.say(tr("What was copied is no picture and no table of measurements with a line of headings."))
            return
        self._window.show_desk("Check")
        self._window.desks.check.read_file(path)

    def _paste(self, image: QImage) -> None:
        """Take a picture from the clipboard; what it says of its space goes with it."""
        if image.isNull():
            self._session.say(tr("There is no picture to paste."))
            return
        held = QByteArray()
        buffer = QBuffer(held)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(buffer, "PNG")  # type: ignore[call-overload]  # its stub asks for bytes, which it refuses
        self._guarded(lambda: self.open_pictures([self._session.pieces.keep_pasted(bytes(held.data()))]))

    def take_arrived(self, arrived: list[Path]) -> None:
        """Take what has arrived in the watched folder in hand, or convert it, as is wanted there."""
        inbox = self._session.inbox
        if inbox.folder is None:
            return
        if inbox.into is None:
            self.open_pictures(arrived, inbox.folder.name)
        else:
            into = inbox.into
            self._guarded(lambda: self._convert_many(named(arrived, into, NAME)))

    def take_profiles(self, paths: list[Path]) -> None:
        """Look into files or folders and take in what they hold; large ones beside the interface."""
        for path in paths:
            look, title = self._session.profiles.looking(), tr("Looking into {name}", name=path.name)
            self._window.work.run(title, partial(_look, look, path), self.take_delivery, lane="opening")

    def take_delivery(self, delivery: Delivery) -> None:
        """Take in what a file or folder held."""
        results: list[Installed] = []
        self._guarded(lambda: results.extend(self._session.profiles.receive(delivery)))
        there = next((r.id for r in results if r.status in ("installed", "already")), "")
        # In an event of its own: taking it in has had its time.
        QTimer.singleShot(0, self._window.work, lambda: self._answered(delivery, there))

    def _answered(self, delivery: Delivery, there: str) -> None:
        """Look which order a delivery answers, and show what there is to do with it."""
        answers: list[Match | None] = []
        self._guarded(lambda: answers.append(self._session.orders.answered(delivery)))
        if there and self._session.profiles.pending is None:
            match = next(iter(answers), None)
            if match:
                self._window.show_order(match)
            else:
                self._window.show_profile(there)

    # Going out ---------------------------------------------------------------------------------------------------

    def order(self, piece: Piece | None = None) -> Order:
        """Return how pictures are converted now: as the condition in force says, tuned as a picture in hand is.

        Raises
        ------
        FideleError
            When there is no condition, or none of its own output profile.
        """
        session = self._session
        card = session.need_card()
        if session.profile is None:
            raise FideleError(tr("The condition has no output profile to convert to; drop one on the window."))
        how = Conversion(card.intent, card.bpc)
        if piece is not None:
            how = Conversion(card.intent, card.bpc, piece.tuning, piece.keep)
        return Order(session.profile, how, card.mirror_by == "fidele", condition=card.name)

    def write_converted(self) -> None:
        """Let a person say where the picture in hand goes, converted, or all of them; and write them."""
        self._guarded(self._ask_where)

    def _ask_where(self) -> None:
        session = self._session
        pictures = [p for p in session.pieces.all if p.chart is None]
        order = self.order()
        if len(pictures) > 1:
            title = tr("A folder for {n} converted files", n=len(pictures))
            folder = QFileDialog.getExistingDirectory(self._parent, title, self._folder("converted"))
            if folder:
                self._remember("converted", Path(folder))
                asked = tr("Names of the files; {name} stands for the picture's own")
                name, sure = QInputDialog.getText(self._parent, tr("Converted files"), asked, text=NAME)
                if sure:
                    self._convert_many(named([p.opened.path for p in pictures], Path(folder), name.strip() or NAME))
            return
        piece = session.pieces.need()
        start = Path(self._folder("converted")) / tr(
            "{stem}, for {condition}.tif", stem=piece.opened.path.stem, condition=order.condition
        )
        name, kind = QFileDialog.getSaveFileName(self._parent, tr("Write the converted picture"), str(start), _WRITTEN)
        if name:
            path = Path(name)
            if not path.suffix:
                path = path.with_suffix(kind[kind.index("*") + 1 : kind.index(")")] if "*" in kind else ".tif")
            self._remember("converted", path.parent)
            self.write_one(path)

    def write_for_house(self) -> None:
        """Let a person say in which space another house wants the picture in hand, and write it so."""
        self._guarded(self._ask_house)

    def _ask_house(self) -> None:
        session = self._session
        piece = session.pieces.need()
        rows = [r for r in session.profiles.rows() if r.entry.description.usable_as_output and not r.papers.hidden]
        inks = {
            f"{r.title} ({r.entry.description.colour_space})": r.entry.id
            for r in rows
            if r.entry.description.colour_space == "CMYK" or r.entry.description.colour_space.endswith("CLR")
        }
        greys = {tr("grey, {name}", name=name): name for name in GREYS}
        names = [*SENDS, *greys, *inks]
        asked = tr("The space, or the printing condition, that they ask for:")
        chosen, sure = QInputDialog.getItem(self._parent, tr("A file for another house"), asked, names, 0, False)
        if not sure:
            return
        target = session.shelf.load(inks[chosen]) if chosen in inks else space_named(greys.get(chosen, chosen))
        start = Path(self._folder("converted")) / tr(
            "{stem}, {chosen}.tif", stem=piece.opened.path.stem, chosen=chosen.replace("/", "-")
        )
        name, _ = QFileDialog.getSaveFileName(
            self._parent, tr("Write the picture for another house"), str(start), _WRITTEN
        )
        if not name:
            return
        path = Path(name) if Path(name).suffix else Path(f"{name}.tif")
        self._remember("converted", path.parent)
        # Not mirrored and not tuned: what another house prints is the picture.
        order = Order(target, Conversion(Intent.RELATIVE, True))

        def done(_: None) -> None:
            session.say(
                tr(
                    "{name} is written in {chosen}, which is embedded in it; it says so in itself.",
                    name=path.name,
                    chosen=chosen,
                )
            )

        self._window.work.run(
            tr("Writing {name}", name=path.name), lambda told: write_converted(piece.artwork, path, order, told), done
        )

    def write_one(self, path: Path) -> None:
        """Write the picture in hand, converted, beside the interface."""
        session = self._session
        piece = session.pieces.need()
        order = self.order(piece)

        def done(_: None) -> None:
            mirrored = tr(", mirrored") if order.mirror else ""
            session.say(
                tr(
                    "{name} is written: converted for “{condition}”{mirrored}; it says so in itself.",
                    name=path.name,
                    condition=order.condition,
                    mirrored=mirrored,
                )
            )

        self._window.work.run(
            tr("Writing {name}", name=path.name), lambda told: write_converted(piece.artwork, path, order, told), done
        )

    def _convert_many(self, targets: dict[Path, Path]) -> None:
        """Convert files to files beside the interface; one that fails does not keep the others from it."""
        session, order = self._session, self.order()
        supposing = session.sources.supposing()
        pieces = {p.opened.path: p for p in session.pieces.all if p.chart is None}
        orders = {path: self.order(piece) for path, piece in pieces.items()}

        def work(told: Progress) -> list[str]:
            failed = []
            for number, (path, to) in enumerate(targets.items()):
                share = partial(_part, told, number, len(targets))
                try:
                    piece = pieces.get(path)
                    if piece is not None:
                        write_converted(piece.artwork, to, orders[path], share)
                    else:
                        convert_file(path, to, order, supposing.of(path), progress=share)
                except FideleError as error:
                    failed.append(str(error))
            return failed

        def done(failed: list[str]) -> None:
            written = len(targets) - len(failed)
            where = next(iter(targets.values())).parent
            said = tr(
                "{written} of {n} pictures are written, converted, into {where}.",
                written=written,
                n=len(targets),
                where=where,
            )
            session.say(f"{said} {failed[0]}" if failed else said)

        number = len(targets)
        title = trn("Converting {n} picture", "Converting {n} pictures", number, n=number)
        self._window.work.run(title, work, done)

    def write_finished(self) -> None:
        """Let a person say where the finished file goes, and write it beside the interface."""
        window, session = self._window, self._session
        session.refresh()  # what counts is the route at this moment

        def begin() -> None:
            job = session.job()
            start = Path(self._folder("finished")) / tr(
                "{stem}, for {name}.png", stem=job.artwork.path.stem, name=job.card.name
            )
            name, _ = QFileDialog.getSaveFileName(
                self._parent, tr("Write the finished file"), str(start), tr("Pictures (*.png *.tif)")
            )
            if name:
                path = Path(name)
                self._remember("finished", path.parent)
                reason = window.desks.print.reason.text().strip() if session.stops else ""
                number = session.queue.order(job, reason, session.stops, target=path, state="preparing")
                carry = session.queue.carrying(number, job)
                sheet = path.with_name(tr("{stem}, how to print it.pdf", stem=path.stem))
                made = session.instructions(path.name, number)

                def work(told: Progress) -> Printed | None:
                    printed = carry(told)
                    write_instructions(made, sheet)
                    return printed

                def done(printed: Printed | None) -> None:
                    if printed is not None:
                        session.take_run(printed)
                    session.live.tell(LogChanged())
                    session.say(
                        tr(
                            "Run {number} is written: open {name} in {printed_from}, and print it as the sheet "
                            "beside it says.",
                            number=number,
                            name=path.name,
                            printed_from=job.card.printed_from,
                        )
                    )
                    window.show_desk("Print")

                window.work.run(tr("Writing {name}", name=path.name), work, done)

        self._guarded(begin)

    def write_report(self) -> None:
        """Let a person say where a fault report goes, and write it."""
        start = str(Path(self._folder("report")) / "fidele-report.zip")
        name, _ = QFileDialog.getSaveFileName(
            self._parent, tr("Write a fault report"), start, tr("Fault report (*.zip)")
        )
        if name:
            self._remember("report", Path(name).parent)
            self._guarded(write_report, self._session, Path(name))


def _held_in(folders: list[Path], told: Progress) -> list[Path]:
    """Return the pictures of folders; and those folders that hold something that profiles come in, or no picture."""
    kinds, found = (*ENDINGS, *PACKED), []
    for number, folder in enumerate(folders):
        if not told(number / len(folders)):
            raise CancelledError
        pictures = pictures_in([folder])
        found += pictures
        if not pictures or any(p.suffix.lower() in kinds for p in folder.rglob("*")):
            found.append(folder)
    return found


def _part(told: Progress, number: int, count: int, share: float) -> bool:
    return told((number + share) / count)


def _packed(look: Callable[[Path], Delivery], path: Path) -> Exported | Delivery:
    return read_export(path) if holds_card(path) else look(path)


def _look(look: Callable[[Path], Delivery], path: Path, _told: Progress) -> Delivery:
    return look(path)
