"""What the commands have in common: where things are, and how documents are printed."""

from __future__ import annotations

import contextlib
import json
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from fidele import units
from fidele.errors import FideleError
from fidele.language import tr

if TYPE_CHECKING:
    from fidele.artwork.picture import Artwork
    from fidele.icc.profile import Profile
    from fidele.icc.transform import Intent
    from fidele.session.model import Session
    from fidele.session.places import Places
    from fidele.store.shelf import Shelf


class Number(click.FloatRange):
    """A number within bounds, and a number: 'nan' lies within all of them."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        found = super().convert(value, param, ctx)
        if not math.isfinite(found):
            self.fail(tr("{value!r} is no number.", value=value), param, ctx)
        return float(found)


class Length(click.ParamType):
    """A length within bounds, in mm where no unit is said: '12.5', '12,5mm', '0.5in'.

    Whatever is chosen for the window: scripts are to mean the same on every machine.
    """

    name = "length"

    def __init__(self, low: float, high: float) -> None:
        self._low, self._high = low, high

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        if isinstance(value, float):
            return value
        try:
            mm = units.read(str(value), "length", "mm")
        except FideleError as error:
            self.fail(str(error), param, ctx)
        if not self._low <= mm <= self._high:
            self.fail(
                tr("{value!r} is not between {low:g} and {high:g} mm.", value=value, low=self._low, high=self._high),
                param,
                ctx,
            )
        return mm


FILE = click.Path(path_type=Path)
INTENTS = click.Choice(["perceptual", "relative", "saturation", "absolute"])


def places() -> Places:
    """Return the folders of this user."""
    from fidele.session.places import Places

    return Places.of_user()


def shelf_of_user() -> Shelf:
    """Return the shelf of this user."""
    from fidele.store.shelf import Shelf

    lie = places()
    return Shelf(lie.profiles, lie.system_profiles, lie.data)


def session_of_user() -> Session:
    """Return a session on this user's workshop."""
    from fidele.session.model import Session

    session = Session(places())
    for sentence in session.damaged():
        click.echo(tr("fidele: {sentence}", sentence=sentence), err=True)
    with contextlib.suppress(FideleError):  # the work that was asked for matters more
        session.logbook.back_up()
    return session


def intent_for(picture: Artwork, printer: Profile, given: str | None, bpc: bool) -> tuple[Intent, str]:
    """Return the intent that was asked for and '', or the one that suits the picture, and the reason to be said."""
    from fidele.icc.transform import Intent
    from fidele.proof.advice import advised

    if given is not None:
        return Intent(given), ""
    advice = advised(picture.laid, picture.profile, printer, bpc)
    if advice is None:
        return Intent.PERCEPTUAL, ""
    return advice.intent, advice.sentence


def print_json(document: object) -> None:
    """Print one JSON document."""
    click.echo(json.dumps(document, indent=2, ensure_ascii=False))
