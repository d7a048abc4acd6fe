"""The visual page, for eyes instead of instruments: continuous ramps, fine lines, small text, skin-like tones, rings.

Each part is asked about in `QUESTIONS`; the answers are kept as measurements of a lower class.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.chart.code import PageCode
from fidele.chart.draw import blank_page, small_print
from fidele.chart.layout import a4_layout
from fidele.dataclass import dataclass
from fidele.language import tr

#: What it is called among the charts: one without patches.
VISUAL = "visual"
#: Its set of corner marks.
VISUAL_SET = 11
LAYOUT = a4_layout(10, 10, 18.0, 2.0)

#: In what light and from where prints are judged (ISO 3664 in plain words).
LIGHT = tr(
    "Judge the pressed, cooled piece in daylight from a window out of the sun, or under a D50 "
    "lamp, at reading distance, with nothing coloured beside it. Give the eyes a minute."
)


@dataclass(frozen=True)
class Question:
    """What is asked of the visual page: the part, the question, and answers with what each says of the print."""

    part: str
    asks: str
    answers: tuple[tuple[str, str], ...]


QUESTIONS = (
    Question(
        "A",
        tr("Which of the rings round the grey field vanishes most nearly into it?"),
        (
            (tr("the middle one"), tr("greys are neutral")),
            (tr("the reddish one"), tr("greys lean green-blue")),
            (tr("the greenish one"), tr("greys lean red")),
            (tr("the bluish one"), tr("greys lean yellow")),
            (tr("the yellowish one"), tr("greys lean blue")),
        ),
    ),
    Question(
        "B",
        tr("What is the lightest step of the grey row that can still be told from bare white?"),
        (
            (tr("1 or 2 %"), tr("light tints hold")),
            (tr("3 to 5 %"), tr("light tints below 3 % are gone")),
            (tr("8 % or darker"), tr("light tints below 8 % are gone")),
        ),
    ),
    Question(
        "C",
        tr("What is the darkest step of the shadows that can still be told from black?"),
        (
            (tr("96 % or more"), tr("shadows hold")),
            (tr("90 to 94 %"), tr("shadows above 94 % are blocked")),
            (tr("less than 90 %"), tr("shadows above 90 % are blocked")),
        ),
    ),
    Question(
        "D",
        tr("Do the long ramps run evenly?"),
        (
            (tr("evenly"), tr("ramps are smooth")),
            (tr("in steps"), tr("ramps band")),
            (tr("with a coloured stretch"), tr("a ramp turns hue")),
        ),
    ),
    Question(
        "E",
        tr("How do the skin-like tones look?"),
        (
            (tr("natural"), tr("skin-like tones are right")),
            (tr("too red or orange"), tr("reds turned to orange")),
            (tr("too yellow or green"), tr("skin-like tones lean yellow")),
            (tr("grey or pale"), tr("colours are weak")),
        ),
    ),
    Question(
        "F",
        tr("What is the finest text that can be read without effort?"),
        (
            (tr("1 mm"), tr("fine detail holds")),
            (tr("{mm:g} mm", mm=1.5), tr("a little soft")),
            (tr("2 mm or larger"), tr("blurred: pressed too long?")),
        ),
    ),
)


def answers_in_words(answers: dict[str, int]) -> tuple[str, ...]:
    """Return what answers, by part, say of the print; those that find nothing wrong come last."""
    said = [(q.answers[answers[q.part]][1], answers[q.part] > 0) for q in QUESTIONS if q.part in answers]
    return tuple(words for words, wrong in sorted(said, key=lambda s: not s[1]))


def draw_visual_page(label: str, code: PageCode | None = None, ppi: int = 300) -> NDArray[np.uint16]:
    """Return the visual page as RGB (h, w, 3) uint16."""
    scale = ppi / 25.4
    canvas = blank_page(LAYOUT, VISUAL_SET, code or PageCode("0" * 8, 0), ppi)
    small_print(canvas, tr("Visual page · {label}", label=label), LAYOUT.text_box(), scale)

    def put(x: float, y: float, wide: float, high: float, values: Floats) -> None:
        x0, y0, x1, y1 = (round(v * scale) for v in (x, y, x + wide, y + high))
        shape = (y1 - y0, x1 - x0, 3)
        canvas[y0:y1, x0:x1] = np.round(np.broadcast_to(np.clip(values, 0, 1), shape) * 65535).astype(np.uint16)

    def name(part: str, words: str, y: float) -> None:
        small_print(canvas, f"{part}   {words}", (12.0, y, 198.0, y + 4), scale, 2.6)

    name("A", "rings", 26)
    leans = ((0, 0, 0), (0.05, -0.025, -0.025), (-0.03, 0.03, -0.03), (-0.03, -0.03, 0.06), (0.025, 0.025, -0.05))
    y, x = np.mgrid[-1:1:34j, -1:1:34j] * 17
    for at, lean in enumerate(leans):
        side = round(30 * scale)
        y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
        ring = (np.abs(np.hypot(x, y) - 0.62) < 0.16)[..., None]
        put(14 + at * 37, 31, side / scale, side / scale, np.where(ring, 0.5 + np.array(lean), 0.5))
    name("B", tr("light tints: 0, 1, 2, 3, 4, 5, 6, 8, 10, 12, 15 %"), 65)
    for at, tint in enumerate((0, 1, 2, 3, 4, 5, 6, 8, 10, 12, 15)):
        put(14 + at * 16.5, 70, 16.5, 12, np.array([1 - tint / 100] * 3))
    name("C", tr("shadows: 100, 98, 96, 94, 92, 90, 88, 85, 80, 75, 70 %"), 86)
    for at, dark in enumerate((100, 98, 96, 94, 92, 90, 88, 85, 80, 75, 70)):
        put(14 + at * 16.5, 91, 16.5, 12, np.array([1 - dark / 100] * 3))
    name("D", tr("long ramps"), 107)
    along = np.linspace(0, 1, round(182 * scale))[None, :, None]
    for at, full in enumerate(((1, 1, 1), (1, 0, 0), (0, 1, 0), (0, 0, 1), (0, 1, 1), (1, 0, 1), (1, 1, 0))):
        to_white = 1 - (1 - np.array(full, float)) * along if at else along * np.ones(3)
        put(14, 112 + at * 8, along.shape[1] / scale, 8, to_white)
    name("E", tr("skin-like tones"), 172)
    skins = (
        np.array([[244, 214, 196], [226, 184, 158], [202, 152, 122], [166, 114, 86], [122, 80, 60], [78, 52, 42]]) / 255
    )
    for at, skin in enumerate(skins):
        shade = (0.8 + 0.25 * np.linspace(0, 1, round(24 * scale)))[:, None, None]
        put(14 + at * 30.5, 177, 28, 24, np.clip(skin * shade, 0, 1))
    name("F", tr("small text and fine lines"), 206)
    for at, high in enumerate((1.0, 1.5, 2.0, 3.0)):
        words = tr("{high:g} mm: the pilot's lantern swings over the quiet harbour, 0123456789", high=high)
        small_print(canvas, words, (14.0, 212 + at * 6, 150.0, 218 + at * 6), scale, high)
    for at in range(8):
        put(155 + at * 5, 211, max(1 / scale, 0.05 + 0.05 * at), 24, np.zeros(3))
    name("G", tr("a scene"), 240)
    rows, columns = round(24 * scale), round(182 * scale)
    v, u = np.mgrid[0 : 1 : rows * 1j, 0 : 1 : columns * 1j]
    sky = np.stack([0.95 - 0.5 * v, 0.62 - 0.25 * v + 0.1 * u, 0.5 + 0.25 * v], axis=-1)
    sea = np.stack([0.08 + 0.1 * u, 0.25 + 0.15 * (1 - v), 0.42 + 0.1 * u], axis=-1)
    scene = np.where((v > 0.62 + 0.02 * np.sin(30 * u))[..., None], sea, sky)
    scene[np.hypot((u - 0.3) * columns / rows, v - 0.45) < 0.2] = (1.0, 0.78, 0.25)
    put(14, 245, columns / scale, rows / scale, scene)
    return canvas
