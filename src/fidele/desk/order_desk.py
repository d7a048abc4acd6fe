"""A profile that somebody else makes: the order, the target's pages, the parcel, what comes back, and into use."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt, QUrl, QUrlQuery
from PySide6.QtGui import QDesktopServices, QGuiApplication, QImage, QPixmap
from PySide6.QtWidgets import QFileDialog, QGridLayout, QLabel, QTextBrowser, QWidget

from fidele.artwork.open import ENDINGS
from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, down, entry
from fidele.desk.labels import button, clear, label, section
from fidele.desk.picture import to_image
from fidele.desk.theme import font, px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.files import write_bytes
from fidele.language import tr, trn
from fidele.run.target import Arrives
from fidele.session.model import Session
from fidele.session.orders import Begun, Match, Opened, recipients
from fidele.session.trials import Tried
from fidele.store.orders import Order
from fidele.tiles import Progress

#: The picture of a target is so many pixels wide and high at most.
_SEEN = 190


class OrderDesk(Desk):
    """Orders a profile, and follows the order until the profile is in use."""

    station = "Ordered profile"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.orders = session.orders
        self._begun: Begun | None = None
        #: What looked like an answer and bears no number.
        self._perhaps: Match | None = None
        self._pictures: dict[str, QImage] = {}
        head = self.head()
        self.which = choice(tr("Order"), letters=34, chosen=lambda _: self._chosen(), points=9.5)
        head.addWidget(self.which, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self.maker = entry(tr("Who makes the profile"), hint=tr("name of the supplier or colleague"), points=9.5)
        self.mail = entry(tr("Their mail address"), hint=tr("for the letter; can stay empty"), points=9.5)
        self.maker.textEdited.connect(lambda _: self._known())
        self.pick_target = button(
            tr("Choose their target …"), self._pick, tr("A TIFF, PNG or PDF that they want printed")
        )
        self.fetch = button(tr("Fetch their target"), self._fetch, tr("From the bench's own maker of profiles"))
        self.start = button(
            tr("Begin the order"), self._start, tr("It gets a number, which stands on every page"), main=True
        )
        self.found = label("", 9.0, wrap=True)
        self.new = QWidget()
        form = QGridLayout()
        form.setHorizontalSpacing(12)
        for row, (words, field) in enumerate(((tr("Who makes it"), self.maker), (tr("Mail"), self.mail))):
            form.addWidget(label(words, 9.5, bold=True), row, 0)
            form.addWidget(field, row, 1)
        form.setColumnStretch(1, 1)
        down(
            section(tr("1  Who makes it, and what they want printed")),
            form,
            across(self.pick_target, self.fetch, SPRING),
            self.found,
            across(self.start, SPRING),
            SPRING,
            margins=(0, 0, 0, 0),
            on=self.new,
        )
        self.picture = QLabel()
        self.picture.setAccessibleName(tr("The target"))
        self.picture.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._pages = QGridLayout()
        self._pages.setHorizontalSpacing(12)
        self.slip = button(tr("Packing slip …"), self._slip, tr("A page of PDF that goes into the parcel"))
        self.copy = button(tr("Copy the letter"), self._copy, tr("To be pasted into any mail"))
        self.write = button(tr("Open in the mail program"), self._mail, tr("With address, subject and text"))
        self.gone = button(tr("It is sent"), self._sent, tr("The parcel is on its way: from now on it is waited for"))
        self.hand = button(
            tr("Give it to the maker"), self._hand, tr("The pressed pages go to the bench's maker, who answers")
        )
        self.text = QTextBrowser()
        self.text.setFont(font(9))
        self.text.setAccessibleName(tr("The letter"))
        self.text.setFixedHeight(px(110))
        self.text.setTabChangesFocus(True)
        self.back = label("", 9.5, wrap=True)
        self.bring = button(
            tr("It is this file …"), self._bring, tr("A profile, zip or mail; it can be dropped on the window, too")
        )
        self.meant = button(tr("It is meant"), self._meant, tr("The profile answers this order"))
        self.attempt = button(tr("Try it"), self._try, tr("Print, press, scan and read a quick chart through it"))
        self.use = button(
            tr("Use it"),
            self._use,
            tr("In the order's condition, with the settings of the target; one step"),
            main=True,
        )
        self.stop = button(tr("Give up"), self._end, tr("Nothing is waited for any more"), quiet=True)
        self.order_box = QWidget()
        down(
            across(
                self.picture,
                (down(section(tr("2  Its pages, printed with nothing converting")), self._pages, SPRING), 1),
                space=16,
            ),
            section(tr("3  On its way")),
            across(self.slip, self.copy, self.write, SPRING),
            self.text,
            across(self.gone, self.hand, SPRING),
            section(tr("4  What comes back")),
            self.back,
            across(self.bring, self.meant, self.attempt, self.use, SPRING, self.stop),
            SPRING,
            margins=(0, 0, 0, 0),
            on=self.order_box,
        )
        inside = QWidget()
        down(self.new, self.order_box, margins=(0, 0, 8, 0), on=inside)
        self.box.addWidget(scrolled(inside), 1)

    # Which -------------------------------------------------------------------------------------------------------

    @property
    def order(self) -> Order | None:
        """The order that is shown, None for a new one."""
        number = str(self.which.currentData() or "")
        return next((one for one in self.orders.all() if one.number == number), None)

    def show_order(self, number: str, perhaps: Match | None = None) -> None:
        """Show an order; `perhaps` is a profile that may answer it."""
        self._perhaps = perhaps
        self._list()
        self.which.setCurrentIndex(max(0, self.which.findData(number)))
        self.refresh()

    def _list(self) -> None:
        chosen, orders = self.which.currentData(), self.orders.all()
        rows = [(tr("A new order"), "")]
        rows += [(f"{one.number}, {one.maker}", one.number) for one in orders]
        first = not self.which.count()
        self.which.blockSignals(True)
        self.which.clear()
        for words, number in rows:
            self.which.addItem(words, number)
        waiting = next((one.number for one in orders if one.ended is None and not self.orders.used(one)), "")
        self.which.setCurrentIndex(max(0, self.which.findData(waiting if first else chosen)))
        self.which.blockSignals(False)
        self.which.setVisible(len(rows) > 1)

    def _chosen(self) -> None:
        self._perhaps = None
        self.refresh()

    def refresh(self) -> None:
        """Show how the order stands."""
        self._list()
        card, order = self.session.card, self.order
        self.fetch.setVisible(self.session.devices.maker is not None)
        self.new.setVisible(order is None and card is not None)
        self.order_box.setVisible(order is not None)
        if order is not None:
            self._show(order)
            return
        self.title.setText(
            tr("A profile made to order") if card is not None else tr("An order needs a printing condition")
        )
        self.state.setText(
            tr(
                "For “{name}”: {summary}. Somebody sends a target; it is printed here with nothing converting and sent "
                "back, and a profile comes of it.",
                name=card.name,
                summary=card.summary,
            )
            if card is not None
            else tr("Make one first (F6): it says which printer, paper, ink and settings the profile is for.")
        )
        self.start.setEnabled(self._begun is not None and bool(self.maker.text().strip()) and not self.work.busy)
        said = tr("No target yet: it is a file that they send, of hundreds of patches.")
        if self._begun is not None:
            count = self._begun.pages
            said = trn("{name}, {n} page.", "{name}, {n} pages.", count, name=self._begun.path.name, n=count)
            said = " ".join([said, *self._begun.cautions])
        self.found.setText(said)

    def _show(self, order: Order) -> None:
        orders, free = self.orders, not self.work.busy
        self.title.setText(tr("Order {number}: {state}", number=order.number, state=orders.state(order)))
        card = order.card
        self.state.setText(
            tr(
                "By {maker}, for “{name}”: {printer}, {media}.",
                maker=order.maker,
                name=card.name,
                printer=card.printer_name,
                media=f"{card.media}, {card.substrate}" if card.process == "transfer" else card.media,
            )
        )
        clear(self._pages)
        runs, differs, active = orders.runs(order), orders.differs(order), order.waits
        for row, (page, run) in enumerate(runs.items()):
            words = tr("run {run}, printed: press it flat, and let it cool", run=run) if run else tr("not printed yet")
            lay = button(
                tr("Print it again") if run else tr("Lay it on the sheet"),
                partial(self._lay, page),
                tr("Bare: no conversion, true size"),
            )
            lay.setAccessibleName(tr("{again}: page {page}", again=lay.text(), page=page + 1))
            lay.setEnabled(active and free and not differs)
            self._pages.addWidget(label(tr("Page {page}", page=page + 1), 9.5, bold=True), 2 * row, 0)
            self._pages.addWidget(label(words, 9.5), 2 * row, 1)
            self._pages.addWidget(lay, 2 * row, 2)
            self._pages.addWidget(label(order.flat.get(page, ""), 8.5, dim=True, wrap=True), 2 * row + 1, 1, 1, 2)
        self._pages.setColumnStretch(1, 1)
        if differs and active:
            self._pages.addWidget(label(differs, 9.5, bold=True, wrap=True), 2 * len(runs), 0, 1, 3)
        printed = all(runs.values())
        subject, text = orders.letter(order)
        self.text.setPlainText(f"{subject}\n\n{text}")
        for one in (self.gone, self.hand):
            one.setEnabled(active and printed and free)
        self.gone.setVisible(order.sent is None)
        self.hand.setVisible(self.session.devices.maker is not None and active)
        here = bool(order.profile)
        match = self._perhaps if self._perhaps is not None and self._perhaps.order.number == order.number else None
        words = order.matched or (match.words if match is not None else "")
        if order.tried:
            words += " " + order.tried
        self.back.setText(words or tr("Drop what comes back on the window: by its number it finds its order."))
        self.bring.setVisible(not here)
        self.meant.setVisible(match is not None and not here)
        used = here and orders.used(order)
        self.attempt.setVisible(here and self.session.devices.press is not None)
        self.use.setVisible(here and not used)
        for one in (self.bring, self.attempt, self.use):
            one.setEnabled(free)
        self.stop.setText(tr("Take it up again") if order.ended is not None else tr("Give up"))
        self.stop.setVisible(not used)
        self._show_picture(order)

    def _show_picture(self, order: Order) -> None:
        """Show the target, small; it is opened beside the interface once."""
        known = self._pictures.get(order.number)
        self.picture.setPixmap(QPixmap.fromImage(known) if known is not None else QPixmap())
        self.picture.setVisible(known is not None)
        if known is None and order.waits and not self.orders.differs(order):
            opening = self.orders.opening(order, 0)

            def look(progress: Progress) -> QImage:
                laid = opening(progress).artwork.laid
                step = max(1, -(-max(laid.shape[:2]) // _SEEN))
                small = laid[step // 2 :: step, step // 2 :: step]
                return to_image(
                    np.ascontiguousarray(small >> 8 if small.dtype == np.uint16 else small).astype(np.uint8)
                )

            def take(image: QImage) -> None:
                self._pictures[order.number] = image
                self.refresh()

            self.work.quietly(f"target {order.number}", look, take)

    # Beginning ---------------------------------------------------------------------------------------------------

    def _known(self) -> None:
        """Fill in the address of a maker who had an order before."""
        address = dict(recipients(self.orders.all())).get(self.maker.text().strip(), "")
        if address and not self.mail.text():
            self.mail.setText(address)
        self.refresh()

    def take_target(self, path: Path) -> None:
        """Look whether a file can be the target, beside the interface."""

        def done(begun: Begun) -> None:
            self._begun = begun
            self.refresh()

        title = tr("Looking at {name}", name=path.name)
        self.guarded(lambda: self.work.run(title, self.orders.looking(path), done, "opening"))

    def _pick(self) -> None:
        kinds = tr("Pictures ({endings})", endings=" ".join(f"*{e}" for e in ENDINGS))
        name, _ = QFileDialog.getOpenFileName(self, tr("The target that they want printed"), "", kinds)
        if name:
            self.take_target(Path(name))

    def _fetch(self) -> None:
        maker = self.session.devices.maker
        if maker is None:
            return

        def fetch(_: Progress) -> Path:
            name, data = maker.target()
            path = self.session.places.work / name
            write_bytes(path, data)
            return path

        def done(path: Path) -> None:
            self.maker.setText(maker.name)
            self.mail.setText(maker.mail)
            self.take_target(path)

        self.work.run(tr("Fetching the target"), fetch, done, "opening")

    def _start(self) -> None:
        def go() -> None:
            assert self._begun is not None
            made = self.orders.begin(self._begun, self.maker.text(), self.mail.text())
            self._begun = None
            self.show_order(made.number)

        self.guarded(go)

    # Following ---------------------------------------------------------------------------------------------------

    def _lay(self, page: int) -> None:
        order = self.order
        if order is None:
            return

        def looked(found: Arrives) -> None:
            self.guarded(self.orders.arrived, order, page, found)
            self.refresh()

        def laid(opened: Opened) -> None:
            if not self.guarded(self.orders.lay, opened):
                return
            look = self.orders.arriving()
            if look is not None:
                self.work.run(tr("Looking how its numbers leave"), look, looked, "sheet")
            self.then_go("Print")

        def begin() -> None:
            opening = self.orders.opening(order, page)

            def work(told: Progress) -> Opened:
                opened = opening(told)
                self.session.look_into(opened.artwork)
                return opened

            self.work.run(tr("Opening the target"), work, laid, "sheet")

        self.guarded(begin)

    def _slip(self) -> None:
        order = self.order
        if order is None:
            return
        usual = str(self.session.places.work / tr("packing slip {number}.pdf", number=order.number))
        name, _ = QFileDialog.getSaveFileName(self, tr("Packing slip"), usual, tr("PDF (*.pdf)"))
        if name and self.guarded(self.orders.slip, order, Path(name)):
            self.session.say(tr("{name} is written.", name=Path(name).name))

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText(self.text.toPlainText())
        self.session.say(tr("The letter is on the clipboard."))

    def _mail(self) -> None:
        order = self.order
        if order is None:
            return
        subject, text = self.orders.letter(order)
        address = QUrl(f"mailto:{order.mail}")
        query = QUrlQuery()
        query.addQueryItem("subject", subject)
        query.addQueryItem("body", text)
        address.setQuery(query)
        if not QDesktopServices.openUrl(address):
            self.session.warn(tr("No mail program answers here: copy the letter instead."))

    def _sent(self) -> None:
        if (order := self.order) is not None:
            self.guarded(self.orders.sent, order)
            self.refresh()

    def _hand(self) -> None:
        order = self.order
        if order is None:
            return

        def answered(parcel: tuple[str, bytes]) -> None:
            name, data = parcel
            if (now := self.orders.need(order.number)).sent is None:
                self.orders.sent(now)
            self.arrived.emit(self.session.shelf.look_into(name, data))

        title = tr("Waiting for {name}", name=order.maker)
        self.guarded(lambda: self.work.run(title, self.orders.handing(order), answered))
        self.refresh()

    def _bring(self) -> None:
        kinds = tr("Profiles and parcels (*.icc *.icm *.zip *.eml *.tar *.gz);;All files (*)")
        name, _ = QFileDialog.getOpenFileName(self, tr("What came back"), "", kinds)
        if name:
            self.files_wanted.emit([Path(name)])

    def _meant(self) -> None:
        if self._perhaps is not None:
            self.guarded(self.orders.here, self._perhaps)
            self._perhaps = None
            self.refresh()

    def _try(self) -> None:
        order = self.order
        if order is None:
            return

        def done(found: Tried) -> None:
            self.session.trials.take(found)
            self.orders.tried(self.orders.need(order.number), found)
            self.refresh()

        def begin() -> None:
            self.session.checking.scanner.profile()  # a clear word now rather than after the print
            trial = self.orders.trial(order)
            title = tr("Trying “{title}”: print, press, scan", title=trial.title)
            self.work.run(title, self.session.trials.trying(trial), done)

        self.guarded(begin)
        self.refresh()

    def _use(self) -> None:
        if (order := self.order) is not None:
            self.guarded(self.orders.take, order)
            self.refresh()

    def _end(self) -> None:
        if (order := self.order) is not None:
            self.guarded(self.orders.end, order)
            self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return what a good target needs."""
        card = self.session.card
        if card is None:
            return []
        rows = [(tr("Bare"), tr("nothing converts: the thread shows no knot while a page lies on the sheet"))]
        if card.process == "transfer":
            rows.append((tr("Pressed"), tr("flat, as every piece of this condition")))
        return [*rows, (tr("Number"), tr("stands on each page, the slip and the letter, and finds the profile again"))]
