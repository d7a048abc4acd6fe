"""Profiles from the makers: their catalogue, and what the printer itself carries for its media."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import down
from fidele.desk.labels import button, label, section
from fidele.desk.tile import Tile, scrolled
from fidele.desk.work import Work
from fidele.language import tr
from fidele.session.model import Session
from fidele.store.shelf import Delivery
from fidele.tiles import Progress


class MakersDesk(Desk):
    """Lists what can be fetched."""

    station = "Makers"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        head.addWidget(
            button(tr("All profiles"), lambda: self.go.emit("Profiles"), tr("Everything on this machine"), quiet=True),
            alignment=Qt.AlignmentFlag.AlignTop,
        )
        self.box.addLayout(head)
        inside = QWidget()
        column = down(space=7, margins=(0, 0, 8, 0), on=inside)
        catalogue, carries, name = session.devices.catalogue, session.device.carries, session.device.name
        if catalogue is not None:
            column.addWidget(section(tr("In the makers' catalogue")))
            for item in catalogue.listing():
                tile = Tile(item.name, [f"{item.words}. {item.file}"], item.supplier)
                fetch = self._fetcher(item.file, partial(catalogue.fetch, item))
                tile.right.addWidget(button(tr("Fetch"), fetch, tr("Fetch {file}", file=item.file)))
                column.addWidget(tile)
            column.addSpacing(6)
        column.addWidget(section(tr("Carried by the {name} itself", name=name)))
        words = tr("Its maker's own media, as the factory meant them: this unit may differ. Try them.")
        column.addWidget(label(words if carries else tr("It carries no profiles."), 8.5, dim=True, wrap=True))
        for media in carries.media_list() if carries is not None else ():
            assert carries is not None
            tile = Tile(media.name, [media.words], name)
            fetch = self._fetcher(f"{media.name}.icc", partial(carries.media_profile, media.name))
            tile.right.addWidget(
                button(
                    tr("Get from printer"), fetch, tr("Take the profile for {name} from the printer", name=media.name)
                )
            )
            column.addWidget(tile)
        column.addStretch()
        self.box.addWidget(scrolled(inside), 1)
        self.title.setText(tr("From the makers"))
        self.state.setText(tr("What is fetched goes to the shelf; where it is several profiles, you are asked which."))

    def _fetcher(self, name: str, fetch: Callable[[], bytes]) -> Callable[[], None]:
        return lambda: self.fetch(name, fetch)

    def fetch(self, name: str, fetch: Callable[[], bytes]) -> None:
        """Fetch a file beside the interface and look into it."""
        beside, leaf = self.session.shelf.beside(), self.session.profiles.leafing()

        def work(progress: Progress) -> Delivery:
            data = fetch()
            progress(0.9)
            found = beside.look_into(name, data)
            leaf(found.leaflets)
            return found

        self.work.run(tr("Fetching {name}", name=name), work, self.arrived.emit)
