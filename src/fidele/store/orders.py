"""Profiles that somebody else makes to order: a folder for each, with what was asked for and the target's own file."""

from __future__ import annotations

import datetime
import re
import shutil
from pathlib import Path

from pydantic import Field, ValidationError

from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes
from fidele.language import tr
from fidele.route.condition import Card, Kept
from fidele.statefile import StateFile, below, complain

_LARGEST = 4 << 20
_FILE = "order.json"
#: What a number looks like, wherever it is written: with any dash or none, in any case.
WRITTEN = re.compile(r"(?<![A-Za-z0-9])P[\s._-]?(\d{4})[\s._-]?(\d{2,4})(?!\d)", re.IGNORECASE)


class Order(Kept):
    """An order for a profile.

    Attributes
    ----------
    number
        Stands on every page that is printed for it, on the packing slip and in the mail: 'P2611-01'.
    maker, mail
        Who makes the profile, and where letters go, '' where that was not said.
    card
        The condition as it was when the order was begun: what the profile will be true for.
    target, pages
        Name of the target's file in the order's folder, and how many pages it has.
    flat
        By page, what a look at the numbers that leave for the printer said.
    sent, how
        When the printed target was sent, and by which way; None as long as it lies here.
    here, profile, matched
        When a profile came back, its id on the shelf, and by what it was recognised.
    tried, passed
        What the quick chart said of it, '' where it was not tried; and whether it was within the limits.
    ended
        When the order was given up.
    """

    number: str
    made: datetime.datetime
    maker: str
    mail: str = ""
    card: Card
    target: str
    pages: int
    flat: dict[int, str] = Field(default_factory=dict)
    sent: datetime.datetime | None = None
    how: str = ""
    here: datetime.datetime | None = None
    profile: str = ""
    matched: str = ""
    tried: str = ""
    passed: bool | None = None
    ended: datetime.datetime | None = None

    @property
    def waits(self) -> bool:
        """Whether a profile is still to come."""
        return not self.profile and self.ended is None


def number_in(text: str) -> list[str]:
    """Return the numbers of orders that a text names, as they are written here."""
    return list(dict.fromkeys(f"P{month}-{int(count):02d}" for month, count in WRITTEN.findall(text)))


class OrderStore:
    """The orders of a workshop."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def all(self) -> list[Order]:
        """Return all readable orders, the newest first; damaged ones stay on disk and are told."""
        found = []
        for path in sorted(self.folder.glob(f"*/{_FILE}")):
            try:
                found.append(_parsed(read_bytes(path, _LARGEST), path.parent.name))
                complain(path)
            except FideleError as error:
                complain(path, str(error).rstrip("."))
        return sorted(found, key=lambda one: (one.made, one.number), reverse=True)

    def find(self, number: str) -> Order | None:
        """Return an order by its number, None where there is none."""
        return next((one for one in self.all() if one.number == number), None)

    def fresh(self, day: datetime.date) -> str:
        """Return a number that no order has, whether it can be read or not."""
        taken = {path.name for path in self.folder.glob("*")}
        return next(made for n in range(1, 10_000) if (made := f"P{day:%y%m}-{n:02d}") not in taken)

    def of(self, number: str) -> Path:
        """Return the folder of an order."""
        return below(self.folder, number)

    def begin(self, order: Order, target: bytes) -> None:
        """Keep an order and the file of its target.

        Raises
        ------
        FideleError
            When its folder cannot be written, or another window has begun one of this number.
        """
        folder = self.of(order.number)
        if folder.exists():
            raise FideleError(
                tr("Order {number} was begun by another window a moment ago: begin once more.", number=order.number)
            )
        try:
            write_bytes(folder / order.target, target)
            self.save(order)
        except FideleError:  # half an order is none
            shutil.rmtree(folder, ignore_errors=True)
            raise

    def save(self, order: Order) -> None:
        """Write an order, whole or not at all."""
        path = self.of(order.number) / _FILE
        file = StateFile(path, lambda data: _parsed(data, order.number), lambda: order)
        file.write(order.model_dump_json(indent=1).encode())

    def remove(self, number: str) -> None:
        """Take an order away with its folder; one that is not there is no error.

        Raises
        ------
        FideleError
            When the folder cannot be removed.
        """
        folder = self.of(number)
        try:
            if folder.exists():
                shutil.rmtree(folder)
        except OSError as error:
            raise FideleError(tr("{path} cannot be removed: {reason}.", path=folder, reason=reason(error))) from error


def _parsed(data: bytes, name: str) -> Order:
    try:
        return Order.model_validate_json(data)
    except ValidationError as error:
        raise FideleError(
            tr("The order {name} is damaged: {errors}.", name=name, errors=error.errors()[0]["msg"])
        ) from error
