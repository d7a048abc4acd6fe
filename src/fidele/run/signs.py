"""The signs of a job's sheet, as its card asks for them, and the room that they take."""

from __future__ import annotations

import datetime

from fidele.language import tr
from fidele.route.condition import SheetHabits
from fidele.run.job import STRIP_GAP, Job, Lying
from fidele.sheet.page import Sign
from fidele.sheet.placing import Media
from fidele.sheet.signs import Identity, cut_sign, fold_sign, identity_sign, line_apart, press_sign, room_for

#: Height of the control strip with its distance, in mm.
STRIP_ROOM = 20.0 + STRIP_GAP + 2.0


def signs_of(job: Job, media: Media) -> list[Sign]:
    """Return what stands on the sheet of a job beside its pieces; a chart says for itself what it is."""
    habits, made = job.card.sheet, []
    if job.chart is not None:
        for number, one in enumerate(job.lying[1:], 2):  # a picture beside it
            words = identity_words(one, job.number, number)
            made.append(
                identity_sign(one.placing, Identity(job.number, number, one.card.digits), words, line_apart(False))
            )
        return made
    for number, one in enumerate(job.lying, 1):
        if habits.identity or job.bare:  # a target goes out of the house: it must say whose it is
            identity = Identity(job.number, number, one.card.digits)
            words = identity_words(one, job.number, number if len(job.lying) > 1 else 0)
            made.append(identity_sign(one.placing, identity, words, line_apart(habits.cut or habits.fold)))
        if habits.cut:
            made.append(cut_sign(one.placing))
        if habits.fold:
            made.append(fold_sign(one.placing))
    if habits.press:
        made.append(press_sign(media.width, media.height, media.inset[0]))
    return made


def identity_words(one: Lying, run: int, number: int) -> str:
    """Return what the identity line says to eyes; `number` is the piece's on its sheet, 0 where it is the only one."""
    title = one.card.profile_title or (one.card.profile or "")[:8]
    copy = tr(", copy {copy} of {copies}", copy=one.copy, copies=one.copies) if one.copies > 1 else ""
    parts = [
        tr("run {run}", run=run) if run else "",
        tr("piece {number}", number=number) if number else "",
        f"{one.name}{copy}",
    ]
    parts += [one.card.name, title, one.card.intent.words, datetime.date.today().isoformat()]
    return " · ".join(p for p in parts if p)


def around(habits: SheetHabits) -> tuple[float, float]:
    """Return how many mm each piece needs around it for its signs: on each side, and in addition beneath."""
    side, beneath = room_for(habits.identity, habits.cut or habits.fold)
    return side, beneath
