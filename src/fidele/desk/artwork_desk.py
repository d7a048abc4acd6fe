"""The artwork desk: the picture as it was sent, and what its colours mean."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QHBoxLayout

from fidele.desk.desk import Desk
from fidele.desk.labels import button, heading, label
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.theme import font
from fidele.desk.work import Work
from fidele.icc.text import text_of
from fidele.proof.soft import ProofLink, ProofSettings, as_sent
from fidele.session.model import Session


class ArtworkDesk(Desk):
    """Shows the picture large, its source slip, and lets a person open another or choose its space."""

    station = "Artwork"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = QHBoxLayout()
        self.title = heading("No artwork yet")
        top.addWidget(self.title)
        top.addStretch()
        top.addWidget(
            button(
                "Open a picture …",
                lambda: self.pick.emit("artwork"),
                "PNG, JPEG or TIFF (Ctrl+O), or drop one on the window",
            )
        )
        top.addWidget(
            button("Take the control chart", self._chart, "144 patches, to check this condition with a print")
        )
        self.box.addLayout(top)
        self.view = PictureView()
        self.view.empty = "Drop a picture anywhere on this window, or open one."
        self.box.addWidget(self.view, 1)
        row = QHBoxLayout()
        row.setSpacing(10)
        self.slip = label("", 9.0, bold=True)
        self.slip.setToolTip("The source slip: where the meaning of the picture's numbers comes from")
        row.addWidget(self.slip)
        row.addStretch()
        row.addWidget(label("take it for", 9.0, dim=True))
        self.space = QComboBox()
        self.space.setFont(font(9))
        self.space.setAccessibleName("Colour space of the picture")
        self.space.addItems(["as the file says", *(name for name, _ in session.SPACES)])
        self.space.activated.connect(self._choose)
        row.addWidget(self.space)
        self.box.addLayout(row)

    def _chart(self) -> None:
        self.guarded(self.session.open_chart, "control")

    def _choose(self, index: int) -> None:
        if self.session.artwork is None:
            return
        if index == 0:
            if self.session.chart is None:
                self.guarded(self.session.open_artwork, self.session.artwork.path)
            return
        self.guarded(self.session.choose_space, self.space.itemText(index))

    def refresh(self) -> None:
        """Show the picture in hand."""
        artwork = self.session.artwork
        self.view.theme = self.theme
        self.space.setEnabled(artwork is not None and artwork.pixels.shape[2] == 3 and self.session.chart is None)
        if artwork is None:
            self.title.setText("No artwork yet")
            self.slip.setText("")
            self.view.set_picture(None)
            return
        self.title.setText(f"{artwork.path.name}, as it was sent")
        self.slip.setText(f"Source: {artwork.slip.words}")
        if artwork.slip.kind != "chosen":
            self.space.setCurrentIndex(0)
        source = artwork.profile
        if artwork.pixels.shape[2] == 3:
            link = ProofLink(source, None, ProofSettings())
            show = link.__call__
        else:
            show = lambda pixels: as_sent(pixels, source)  # noqa: E731
        self.view.set_picture(artwork.pixels)
        self.view.set_teeth([Tooth("as sent", show)])

    def facts(self) -> list[tuple[str, str]]:
        """Return what the picture is."""
        artwork = self.session.artwork
        if artwork is None:
            return []
        wide, high = artwork.own_mm
        return [
            ("Pixels", f"{artwork.width:,} x {artwork.height:,}"),
            ("Depth", f"{artwork.bits} bit, {artwork.profile.header.colour_space}"),
            ("Resolution", f"{artwork.ppi:.0f} ppi" if artwork.ppi else "not stated, taken for 300"),
            ("Own size", f"{wide:.1f} x {high:.1f} mm"),
            ("Space", text_of(artwork.profile, "desc")),
            ("Known", artwork.slip.kind),
        ]
