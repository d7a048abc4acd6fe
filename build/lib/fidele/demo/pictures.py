"""The demo's pictures, drawn by code: RGB as floats from 0 to 1."""

from __future__ import annotations

from importlib import resources

import numpy as np

from fidele.arrays import Floats

#: The festival's customer colours, sRGB 8 bit.
COLOURS = {
    "Harbour blue": (12, 58, 112),
    "Festival turquoise": (0, 222, 208),
    "Signal red": (205, 32, 38),
    "Ember": (255, 116, 8),
    "Lamp violet": (104, 40, 250),
    "Sun yellow": (255, 206, 62),
}


def _grid(width: int, height: int) -> tuple[Floats, Floats]:
    y, x = np.mgrid[0:height, 0:width].astype(float)
    return x / height, y / height


def _mix(low: Floats, high: Floats, t: Floats) -> Floats:
    return low + (high - low) * np.clip(t, 0, 1)[..., None]


def _colour(*rgb: float) -> Floats:
    return np.array(rgb) / 255


def harbour(width: int = 1772, height: int = 1181) -> Floats:
    """A dusk harbour with long gradients, glowing lamps, a boat, and skin-like tones in the sky."""
    x, y = _grid(width, height)
    wide = width / height
    sky = _mix(
        _colour(122, 104, 176), _colour(246, 164, 122), np.exp(-((y - 0.05) ** 2) * 3 - (x - 0.35 * wide) ** 2 * 0.5)
    )
    sky = _mix(sky, _colour(222, 176, 152), 0.55 * np.exp(-((y - 0.42) ** 2) * 30))
    horizon = 0.60
    depth = np.clip((y - horizon) / (1 - horizon), 0, 1)
    waves = 0.5 + 0.5 * np.sin(2 * np.pi * (y * 26 + 0.6 * np.sin(x * 3.1)) + 3 * np.sin(x * 1.7 + y * 9))
    water = _mix(_colour(40, 88, 116), _colour(12, 26, 54), depth)
    water = _mix(water, _colour(78, 122, 138), 0.30 * waves**3 * (1 - depth))
    image = np.where((y < horizon)[..., None], sky, water)
    for cx, cy, radius, colour in (
        (0.33, 0.36, 0.085, COLOURS["Festival turquoise"]),
        (0.62, 0.36, 0.07, COLOURS["Lamp violet"]),
        (0.84, 0.38, 0.058, COLOURS["Ember"]),
    ):
        away = np.hypot(x - cx, y - cy)
        glow = np.exp(-np.maximum(away - radius, 0) / 0.075) * 0.62
        image = _mix(image, _colour(*colour), np.where(y < horizon, glow, 0))
        mirror = (
            np.exp(-((np.abs(x - cx) / (0.03 + 0.05 * depth)) ** 2)) * (0.45 * (1 - depth) + 0.05) * (0.4 + 0.6 * waves)
        )
        image = _mix(image, _colour(*colour), np.where(y >= horizon, mirror, 0))
        image = _mix(image, _colour(*colour), _inside(away - radius, height))
    sun = np.hypot(x - 1.10, y - 0.52) - 0.09
    image = _mix(image, _colour(*COLOURS["Sun yellow"]), _inside(sun, height) * (y < horizon))
    hull = np.maximum.reduce([0.595 - y, y - 0.70, (0.62 + (y - 0.595) * 0.6) - x, x - (1.02 - (y - 0.595) * 0.35)])
    image = _mix(image, _colour(38, 30, 34), _inside(hull, height))
    mast = np.maximum(np.abs(x - 0.80) - 0.004, np.maximum(0.30 - y, y - 0.60))
    image = _mix(image, _colour(38, 30, 34), _inside(mast, height))
    rng = np.random.default_rng(7)
    return np.clip(image + rng.normal(0, 0.004, image.shape), 0, 1)


def _inside(distance: Floats, height: int) -> Floats:
    """Return 1 inside a shape and 0 outside, with an edge of one pixel, from a signed distance."""
    return np.clip(0.5 - distance * height, 0, 1)


def parade(width: int = 1400, height: int = 1000) -> Floats:
    """A lantern parade in sea-glass turquoise, violet and ember that no printer holds."""
    x, y = _grid(width, height)
    image = _mix(_colour(8, 10, 34), _colour(34, 16, 62), y)
    rng = np.random.default_rng(21)
    colours = [_colour(*COLOURS[n]) for n in ("Festival turquoise", "Lamp violet", "Ember", "Sun yellow")]
    for _ in range(46):
        cx, cy = rng.uniform(0, width / height), rng.beta(2.2, 2.0)
        radius = rng.uniform(0.02, 0.065) * (0.4 + cy)
        colour = colours[rng.integers(0, 4)]
        # Beyond nine radii a glow is below a hundredth of a code value.
        left, right = (int(np.clip(v * height, 0, width)) for v in (cx - 9 * radius, cx + 9 * radius))
        top, bottom = (int(np.clip(v * height, 0, height)) for v in (cy - 11 * radius, cy + 11 * radius))
        part = np.s_[top:bottom, left:right]
        away = np.hypot(x[part] - cx, (y[part] - cy) * 0.82)
        image[part] = _mix(image[part], colour, 0.55 * np.exp(-np.maximum(away - radius, 0) / (radius * 1.1)))
        # The lantern itself ends within half a pixel of its radius.
        left, right = (int(np.clip(v * height, 0, width)) for v in (cx - 1.1 * radius, cx + 1.1 * radius + 2 / height))
        top, bottom = (int(np.clip(v * height, 0, height)) for v in (cy - 1.4 * radius, cy + 1.4 * radius + 2 / height))
        part = np.s_[top:bottom, left:right]
        away = np.hypot(x[part] - cx, (y[part] - cy) * 0.82)
        body = _mix(colour, np.ones(3), 0.35 * np.exp(-((away / radius) ** 2) * 2))
        image[part] = _mix(image[part], body, _inside(away - radius, height))
    return np.clip(image, 0, 1)


def flags(width: int = 1600, height: int = 900) -> Floats:
    """Flat signal flags in the customer's exact colours."""
    image = np.ones((height, width, 3))
    colours = [_colour(*c) for c in COLOURS.values()]
    rows, columns, gap = 3, 5, 28
    wide, high = (width - gap * (columns + 1)) // columns, (height - gap * (rows + 1)) // rows
    for number in range(rows * columns):
        row, column = divmod(number, columns)
        top, left = gap + row * (high + gap), gap + column * (wide + gap)
        first, second = colours[number % 6], colours[(number * 2 + 1 + number // 6) % 6]
        v, u = np.mgrid[0 : 1 : high * 1j, 0 : 1 : wide * 1j]
        masks = [
            u < 0.5,
            np.abs(u + v - 1) < 0.28,
            np.hypot((u - 0.5) * wide / high, v - 0.5) < 0.3,
            v < 1 / 3,
            np.abs(u - 0.5) < 0.17,
        ]
        image[top : top + high, left : left + wide] = np.where(masks[number % 5][..., None], first, second)
    return image


def tide_table(width: int = 1240, height: int = 1754) -> Floats:
    """A tide table with fine black text on white."""
    from PIL import Image, ImageDraw, ImageFont

    sheet = Image.new("RGB", (width, height), "white")
    pen = ImageDraw.Draw(sheet)
    fonts = resources.files("fidele") / "data" / "fonts"
    with resources.as_file(fonts / "Inter-Bold.otf") as bold, resources.as_file(fonts / "Inter-Regular.otf") as plain:
        title, text = (
            ImageFont.truetype(str(name), size, layout_engine=ImageFont.Layout.BASIC)
            for name, size in ((bold, 62), (plain, 22))
        )
    pen.text((80, 80), "Tern Harbour tides", font=title, fill=COLOURS["Harbour blue"])
    pen.rectangle((80, 170, width - 80, 176), fill=COLOURS["Festival turquoise"])
    rng = np.random.default_rng(3)
    for day in range(1, 32):
        y = 200 + day * 46
        hours = (day * 50 + np.array([95, 470, 845, 1210]) + rng.integers(-9, 9, 4)) % 1440
        heights = 2.1 + 1.6 * np.cos(np.pi * np.arange(4) + day / 4.7)
        cells = [f"{m // 60:02d}:{m % 60:02d}   {h:.1f} m" for m, h in sorted(zip(hours, heights, strict=True))]
        for column, cell in enumerate([f"{day}", *cells]):
            pen.text((80 + (column and 90 + (column - 1) * 245), y), cell, font=text, fill="black")
        pen.line((80, y + 36, width - 80, y + 36), fill=(190, 190, 190), width=1)
    return np.asarray(sheet, float) / 255


def engraving(width: int = 1000, height: int = 800) -> Floats:
    """A grey engraving of a lighthouse: lines that swell with the tone; (h, w)."""
    x, y = _grid(width, height)
    tower = np.maximum(np.abs(x - 0.62) - (0.05 + 0.05 * y), np.abs(y - 0.52) - 0.32)
    light = np.exp(-np.hypot(x - 0.62, y - 0.17) * 3)
    tone = np.clip(0.25 + 0.55 * light + 0.15 * np.sin(y * 9 + np.sin(x * 4)), 0, 1)
    tone = np.where(tower < 0, np.clip(0.55 + (x - 0.62) * 6, 0.1, 0.95), tone)
    tone = np.where(y > 0.84, 0.30 + 0.12 * np.sin(x * 40 + 6 * np.sin(y * 60)), tone)
    angle = np.where(tower < 0, x * 5, y * 70 + 2.2 * np.sin(x * 5))
    lines = 0.5 + 0.5 * np.sin(2 * np.pi * np.where(tower < 0, angle * 14, angle))
    return np.clip((tone - lines * 0.9) * 6 + 0.5, 0, 1)
