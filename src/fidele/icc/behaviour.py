"""How a profile behaves: round trip, grey axis, reversals, shadows, white, jumps; and all of it in a sentence.

Everything is computed from the profile's own tables in double precision (`fidele.icc.tables`).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import hue_name
from fidele.dataclass import dataclass
from fidele.icc.describe import Description, describe
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.solid import solid_of
from fidele.icc.tables import device_to_pcs_lab, matrix_model, pcs_lab_to_device, table_for
from fidele.language import tr

#: Steps of the device lattice per channel, by the number of channels.
_LATTICE = {1: 256, 3: 17, 4: 9, 5: 6, 6: 4, 7: 3}
#: Chroma beyond which a grey is seen to lean: slightly, clearly.
_LEANS, _LEANS_CLEARLY = 1.0, 3.0


@dataclass(frozen=True)
class RoundTrip:
    """Device values (n, c), their L*a*b* (n, 3), and ΔE00 (n,) to what A2B∘B2A makes of it."""

    device: Floats
    Lab: Floats
    de00: Floats

    @property
    def mean(self) -> float:
        """Mean ΔE00."""
        return float(self.de00.mean())

    @property
    def p95(self) -> float:
        """95th percentile of ΔE00."""
        return float(np.percentile(self.de00, 95))

    @property
    def largest(self) -> float:
        """Largest ΔE00."""
        return float(self.de00.max())


@dataclass(frozen=True)
class GreyAxis:
    """Wanted L* (n,) from 0 to 100, the device values (n, c) that the profile sends, the L*a*b* (n, 3) they give."""

    wanted: Floats
    device: Floats
    printed: Floats

    @property
    def in_reach(self) -> NDArray[np.bool_]:
        """Which greys lie between the printer's black and white, where a cast is a fault."""
        return (self.wanted > self.printed[:, 0].min() + 4) & (self.wanted < 99)

    @property
    def chroma(self) -> Floats:
        """How coloured each printed grey is (n,)."""
        return np.hypot(self.printed[:, 1], self.printed[:, 2])

    @property
    def largest_cast(self) -> float:
        """Largest chroma of a grey within reach."""
        return float(self.chroma[self.in_reach].max()) if self.in_reach.any() else 0.0

    @property
    def reversals(self) -> int:
        """How often a lighter grey prints darker."""
        return int((np.diff(self.printed[:, 0]) < -0.15).sum())

    def words(self) -> str:
        """Say where greys lean, and which way; '' where they are neutral."""
        reach = self.in_reach
        if not reach.any() or self.largest_cast < _LEANS:
            return ""
        low, high = self.wanted[reach].min(), self.wanted[reach].max()
        third = (high - low) / 3
        parts = []
        for name, start in ((tr("shadows"), low), (tr("midtones"), low + third), (tr("highlights"), low + 2 * third)):
            part = reach & (self.wanted >= start) & (self.wanted <= start + third)
            if part.any() and self.chroma[part].max() >= _LEANS:
                parts.append((name, part))
        worst = np.flatnonzero(reach)[self.chroma[reach].argmax()]
        hue = hue_name(float(np.degrees(np.arctan2(self.printed[worst, 2], self.printed[worst, 1]))) % 360)
        how = tr("slightly") if self.largest_cast < _LEANS_CLEARLY else tr("clearly")
        where = "" if len(parts) == 3 else tr(" in the {n}", n=tr(" and ").join((n for n, _ in parts)))
        return tr("Greys run {how} {hue}{where}.", how=how, hue=hue, where=where)


@dataclass(frozen=True)
class Behaviour:
    """What was found out about a profile. A part is None where its tables do not allow to tell."""

    round_trip: RoundTrip | None
    grey: GreyAxis | None
    gamut_volume: float | None
    #: Share of the device's grey scale at its dark end that prints alike, 0 to 1.
    flat_shadows: float
    #: Ramps of the device along which lightness turns back, by name.
    reversed_ramps: tuple[str, ...]
    #: ΔE00 between bare media and what white prints as.
    white_off: float | None
    #: Largest step, in ΔE00, that the table adds between neighbours of a smooth gradient.
    jump: float | None
    faults: tuple[str, ...]
    sentence: str


def behaviour(profile: Profile, what: Description | None = None) -> Behaviour:
    """Find out how a profile behaves.

    Raises
    ------
    ProfileError
        When one of its tables is damaged.
    """
    what = what or describe(profile)
    trip = round_trip(profile)
    grey = grey_axis(profile)
    ramps = _ramps(profile)
    solid = solid_of(profile)
    flat = _flat_shadows(ramps["grey"]) if "grey" in ramps else 0.0
    turned = tuple(name for name, Lab in ramps.items() if _turns_back(Lab[:, 0]))
    white = _white_off(profile, grey)
    jump = _jump(profile) if grey is not None else None
    faults = _faults(profile, trip, grey, flat, turned, white, jump)
    stops = [p.message for p in what.problems if p.weight == "stop"]
    sentence = _sentence(what, stops, faults, trip)
    volume = solid.volume if solid is not None else None
    return Behaviour(trip, grey, volume, flat, turned, white, jump, tuple(faults), sentence)


def lattice(channels: int) -> Floats | None:
    """Return evenly spaced device values (n, channels) for a round trip; None for more channels than can be walked."""
    count = _LATTICE.get(channels)
    if count is None:
        return None
    axes = np.meshgrid(*[np.linspace(0, 1, count)] * channels, indexing="ij")
    return np.stack(axes, axis=-1).reshape(-1, channels)


def both_ways(profile: Profile, intent: int = 1) -> bool:
    """Tell whether a profile goes from device to colour and back."""
    header = profile.header
    if header.device_class not in ("prtr", "mntr", "scnr", "spac") or header.pcs not in ("Lab", "XYZ"):
        return False
    if profile.channels not in _LATTICE or header.colour_space in ("Lab", "XYZ"):
        return False
    if table_for(profile, "A2B", intent) and table_for(profile, "B2A", intent):
        return True
    neither = not table_for(profile, "A2B", intent) and not table_for(profile, "B2A", intent)
    return neither and header.colour_space == "RGB" and matrix_model(profile) is not None


def round_trip(profile: Profile, intent: int = 1) -> RoundTrip | None:
    """Send a lattice of device values to colour, back to device values, and to colour again."""
    device = lattice(profile.channels)
    if device is None or not both_ways(profile, intent):
        return None
    Lab = device_to_pcs_lab(profile, device, intent)
    again = device_to_pcs_lab(profile, np.clip(pcs_lab_to_device(profile, Lab, intent), 0, 1), intent)
    return RoundTrip(device, Lab, delta_e_2000(Lab, again))


def grey_axis(profile: Profile, intent: int = 1) -> GreyAxis | None:
    """Return what becomes of neutrals from L* 0 to 100."""
    if not both_ways(profile, intent):
        return None
    wanted = np.linspace(0, 100, 201)
    Lab = np.stack([wanted, 0 * wanted, 0 * wanted], axis=1)
    device = np.clip(pcs_lab_to_device(profile, Lab, intent), 0, 1)
    return GreyAxis(wanted, device, device_to_pcs_lab(profile, device, intent))


_NAMES = {"RGB": ("red", "green", "blue"), "CMYK": ("cyan", "magenta", "yellow", "black")}


def _ramps(profile: Profile) -> dict[str, Floats]:
    """Return L*a*b* (65, 3) along ramps from dark to light: grey, and each channel's own against white."""
    channels, space = profile.channels, profile.header.colour_space
    if profile.header.device_class not in ("prtr", "mntr", "scnr") or not 1 <= channels <= 7:
        return {}
    light = np.linspace(0, 1, 65)
    additive = space in ("RGB", "GRAY")
    ramps = {}
    if additive:
        ramps["grey"] = np.repeat(light[:, None], channels, axis=1)
    elif space == "CMYK":
        ramps["grey"] = np.stack([0 * light, 0 * light, 0 * light, 1 - light], axis=1)
    names = _NAMES.get(space, tuple(tr("ink {i}", i=i + 1) for i in range(channels)))
    if channels > 1 and profile.header.device_class == "prtr":
        for index, name in enumerate(names):
            ramp = np.full((65, channels), 1.0 if additive else 0.0)
            ramp[:, index] = light if additive else 1 - light
            # On an RGB printer, less red is more of the ink that takes red away.
            label = {"red": "cyan", "green": "magenta", "blue": "yellow"}.get(name, name)
            ramps[tr("{label} ramp", label=tr(label))] = ramp
    try:
        return {name: device_to_pcs_lab(profile, ramp) for name, ramp in ramps.items()}
    except ProfileError:
        return {}


def _turns_back(lightness: Floats) -> bool:
    """Tell whether lightness falls by more than 0.5 anywhere on its way up."""
    return bool((np.maximum.accumulate(lightness) - lightness).max() > 0.5)


def _flat_shadows(ramp: Floats) -> float:
    """Return the share of a ramp at its dark end that stays within 0.4 of its darkest lightness."""
    lightness = ramp[:, 0]
    return float(np.argmax(lightness > lightness.min() + 0.4)) / (len(lightness) - 1)


def _white_off(profile: Profile, grey: GreyAxis | None) -> float | None:
    if grey is None or profile.header.device_class != "prtr":
        return None
    return float(delta_e_2000(grey.printed[-1:], np.array([[100.0, 0, 0]]))[0])


def _jump(profile: Profile) -> float:
    """Walk straight lines through the gamut's inside in small steps; return the largest step too much.

    From grey toward full colours at three lightnesses and twelve hues, and up and down beside the grey axis.
    """
    hues = np.radians(np.arange(0, 360, 30))
    share = np.linspace(0, 1, 60)
    lines = []
    for lightness in (35.0, 55.0, 75.0):
        for hue in hues:
            radius = 25.0
            lines.append(
                np.stack([np.full(60, lightness), radius * share * np.cos(hue), radius * share * np.sin(hue)], axis=1)
            )
    for hue in hues[::3]:
        lines.append(np.stack([20 + 75 * share, np.full(60, 6 * np.cos(hue)), np.full(60, 6 * np.sin(hue))], axis=1))
    wanted = np.concatenate(lines)
    device = np.clip(pcs_lab_to_device(profile, wanted), 0, 1)
    printed = device_to_pcs_lab(profile, device).reshape(len(lines), 60, 3)
    wanted = wanted.reshape(len(lines), 60, 3)
    step = delta_e_2000(printed[:, 1:].reshape(-1, 3), printed[:, :-1].reshape(-1, 3)).reshape(len(lines), 59)
    asked = delta_e_2000(wanted[:, 1:].reshape(-1, 3), wanted[:, :-1].reshape(-1, 3)).reshape(len(lines), 59)
    # Along a line that leaves the gamut the printed colour stands still or follows the surface: no jump.
    return max(0.0, float((step - 2 * asked).max()))


def _faults(
    profile: Profile,
    trip: RoundTrip | None,
    grey: GreyAxis | None,
    flat: float,
    turned: tuple[str, ...],
    white: float | None,
    jump: float | None,
) -> list[str]:
    """Return what stands out, as sentences."""
    output = profile.header.device_class == "prtr"
    said = []
    if grey is not None and output:
        if grey.words():
            said.append(grey.words())
        if grey.reversals:
            said.append(tr("Greys turn back: some lighter greys print darker than darker ones."))
    if trip is not None and trip.p95 > 2:
        said.append(
            tr(
                "Its two directions disagree: a colour comes back off by ΔE00 {mean:.1f} on average, {p95:.1f} "
                "for one in twenty.",
                mean=trip.mean,
                p95=trip.p95,
            )
        )
    if output and turned:
        said.append(tr("The {turned} turns back on its way to the light.", turned=tr(" and ").join(turned[:2])))
    if output and flat > 0.07:
        said.append(tr("Shadows are flat: the darkest {flat:.0f} % of the scale print alike.", flat=flat * 100))
    if white is not None and white > 0.6:
        said.append(tr("White prints a faint tint, ΔE00 {white:.1f} from the bare media.", white=white))
    if jump is not None and output and jump > 2:
        said.append(
            tr("Gradients will show an edge: neighbours differ by ΔE00 {jump:.1f} more than they should.", jump=jump)
        )
    return said


def _sentence(what: Description, stops: list[str], faults: list[str], trip: RoundTrip | None) -> str:
    if stops:
        return tr("Not sound. {stops}", stops=stops[0])
    said = [tr("Sound.") if trip is None or trip.p95 <= 2 else tr("Usable, with faults.")]
    said += faults
    if what.device_class == "prtr":
        missing = [i for i in ("perceptual", "saturation") if i not in what.intents]
        if len(missing) == 2:
            said.append(tr("Has the colorimetric table only."))
        elif missing:
            said.append(tr("Has no separate {missing} table.", missing=tr(missing[0])))
    cautions = [p.message for p in what.problems if p.weight == "caution"]
    said += cautions[:1]
    return " ".join(said)


def grey_rows(grey: GreyAxis, step: int = 20) -> list[tuple[float, float, float, float]]:
    """Return (wanted L*, printed L*, a*, b*) for every `step`th grey, for people and files to read."""
    return [
        (round(float(w), 1), round(float(p[0]), 2), round(float(p[1]), 2), round(float(p[2]), 2))
        for w, p in zip(grey.wanted[::step], grey.printed[::step], strict=True)
    ]
