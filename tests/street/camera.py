"""A camera of its own: a chart photographed under bad light, by an unsteady hand, with things in the way."""

from __future__ import annotations

import cv2
import numpy as np

#: What spoils a photograph; every one is also tilted, noisy and squeezed.
TROUBLES = ("shadow", "glare", "finger", "curl", "tilt", "tungsten", "defocus", "shadow and glare")


def photograph(page: np.ndarray, seed: int, trouble: str) -> tuple[np.ndarray, np.ndarray]:
    """Return a photograph (h, w, 3) uint8 of a page (RGB, uint16), and one of the same camera and view undisturbed."""
    rng = np.random.default_rng([seed, *trouble.encode()])
    light = (page.astype(np.float32) / 65535) ** 2.2
    height, width = light.shape[:2]
    tilt = rng.uniform(25, 40) if trouble == "tilt" else rng.uniform(0, 12)
    curl = rng.uniform(0.02, 0.05) if trouble == "curl" else 0.0
    clean_map = _view(height, width, rng, tilt, 0.0)
    seen = _remap(light, clean_map, 0.25)
    spoiled = _remap(light * _shade_of(curl, height, width), _bent(clean_map, curl, height, width), 0.25)
    gains = np.array([1.25, 1.0, 0.6] if trouble == "tungsten" else [1.0, 1.0, 1.0], np.float32)
    falloff = 1 - rng.uniform(0.05, 0.2) * _radial(seen.shape[:2])[..., None]
    seen, spoiled = seen * gains * falloff, spoiled * gains * falloff
    if "shadow" in trouble:
        spoiled = spoiled * _shadow(spoiled.shape[:2], rng)[..., None]
    if "glare" in trouble:
        spoiled = spoiled + _spot(spoiled.shape[:2], rng, 0.08, 0.2)[..., None] * rng.uniform(0.25, 0.7)
    if trouble == "finger":
        skin = np.array([0.5, 0.26, 0.17], np.float32)
        finger = (_spot(spoiled.shape[:2], rng, 0.05, 0.1) > 0.5).astype(np.float32)
        soft = cv2.GaussianBlur(finger, (0, 0), 2)[..., None]
        around = cv2.GaussianBlur(finger, (0, 0), 14)[..., None]
        spoiled = spoiled * (1 - 0.5 * around) * (1 - soft) + skin * soft
    blur = rng.uniform(2.0, 3.2) if trouble == "defocus" else 0.7
    out = []
    for picture, softness in ((spoiled, blur), (seen, 0.7)):
        coded = np.clip(cv2.GaussianBlur(picture, (0, 0), softness), 0, 1) ** (1 / 2.2)
        coded = coded + np.random.default_rng(seed).normal(0, 0.006, coded.shape)
        eight = np.rint(np.clip(coded, 0, 1) * 255).astype(np.uint8)
        _, data = cv2.imencode(".jpg", eight[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 90])
        out.append(np.ascontiguousarray(cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1]))
    return out[0], out[1]


def _view(height: int, width: int, rng: np.random.Generator, tilt: float, _curl: float) -> np.ndarray:
    """Return where each pixel of the photograph comes from on the page (h, w, 2), seen tilted in perspective."""
    out_h, out_w = round(height * 1.15), round(width * 1.15)
    axis, turn = rng.uniform(0, 2 * np.pi), rng.normal(0, 2)
    corners = np.array([[-width, -height], [width, -height], [width, height], [-width, height]], float) / 2
    rad = np.radians(tilt)
    normal = np.array([np.cos(axis), np.sin(axis)])
    along = corners @ normal
    flat = corners - along[:, None] * normal
    distance = 2.2 * max(height, width)
    deep = along * np.sin(rad)
    placed = (flat + (along * np.cos(rad))[:, None] * normal) * (distance / (distance + deep))[:, None]
    t = np.radians(turn)
    placed = placed @ np.array([[np.cos(t), np.sin(t)], [-np.sin(t), np.cos(t)]])
    placed *= 0.97 * min(out_w / np.ptp(placed[:, 0]), out_h / np.ptp(placed[:, 1]))
    placed += np.array([out_w, out_h]) / 2 - (placed.max(axis=0) + placed.min(axis=0)) / 2
    matrix = cv2.getPerspectiveTransform(
        placed.astype(np.float32), (corners + [width / 2, height / 2]).astype(np.float32)
    )
    y, x = np.mgrid[0:out_h, 0:out_w].astype(np.float32)
    return cv2.perspectiveTransform(np.stack([x, y], axis=-1).reshape(-1, 1, 2), matrix).reshape(out_h, out_w, 2)


def _bent(view: np.ndarray, curl: float, height: int, width: int) -> np.ndarray:
    """The lower quarter of the page rolls up: it is seen shorter."""
    if not curl:
        return view
    bent = view.copy()
    start = 0.7 * height
    beyond = np.clip(view[..., 1] - start, 0, None)
    bent[..., 1] = view[..., 1] + curl * 2 * beyond**2 / (height - start)
    return bent


def _shade_of(curl: float, height: int, width: int) -> np.ndarray:
    if not curl:
        return np.ones((height, 1, 1), np.float32)
    y = np.clip((np.arange(height) / height - 0.7) / 0.3, 0, 1)
    return (1 - 0.35 * y**2)[:, None, None].astype(np.float32)


def _remap(light: np.ndarray, view: np.ndarray, ground: float) -> np.ndarray:
    there, value = view.astype(np.float32), (ground,) * 3
    return cv2.remap(light.astype(np.float32), there, None, cv2.INTER_LINEAR, None, cv2.BORDER_CONSTANT, value)


def _radial(shape: tuple[int, int]) -> np.ndarray:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    return ((x / shape[1] - 0.5) ** 2 + (y / shape[0] - 0.5) ** 2) * 2


def _shadow(shape: tuple[int, int], rng: np.random.Generator) -> np.ndarray:
    """A hard edge somewhere across the page."""
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    angle, soft = rng.uniform(0, 2 * np.pi), rng.uniform(2, 25)
    cx, cy = rng.uniform(0.3, 0.7, 2) * [shape[1], shape[0]]
    where = (x - cx) * np.cos(angle) + (y - cy) * np.sin(angle)
    return (1 - rng.uniform(0.25, 0.6) / (1 + np.exp(-where / soft))).astype(np.float32)


def _spot(shape: tuple[int, int], rng: np.random.Generator, least: float, most: float) -> np.ndarray:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]].astype(np.float32)
    size = rng.uniform(least, most) * max(shape)
    cx, cy = rng.uniform(0.25, 0.75, 2) * [shape[1], shape[0]]
    angle = rng.uniform(0, np.pi)
    u = (x - cx) * np.cos(angle) + (y - cy) * np.sin(angle)
    v = -(x - cx) * np.sin(angle) + (y - cy) * np.cos(angle)
    return np.exp(-((u / size) ** 2 + (v / (size * 0.6)) ** 2)).astype(np.float32)
