"""Say in plain words what a profile is, whether it can serve as an output profile, and what is wrong with it."""

from __future__ import annotations

from dataclasses import field

import numpy as np

from fidele.colour.cie import xyz_to_lab
from fidele.dataclass import dataclass
from fidele.icc.conform import Problem, conformance, created
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.tables import device_to_pcs_lab, lut_of, matrix_model, same_table
from fidele.icc.text import dictionary_of, text_of
from fidele.language import tr

CLASSES = {
    "prtr": tr("output (printer)"),
    "mntr": tr("display"),
    "scnr": tr("input (scanner or camera)"),
    "link": tr("device link"),
    "spac": tr("colour space conversion"),
    "abst": tr("abstract"),
    "nmcl": tr("named colours"),
    "cenc": tr("colour encoding"),
    "mid": tr("multiplex identification"),
    "mlnk": tr("multiplex link"),
    "mvis": tr("multiplex visualisation"),
}

INTENTS = ("perceptual", "relative", "saturation", "absolute")


@dataclass(frozen=True)
class Description:
    """What a profile is. White and black are L*a*b*; black is None where no table tells it."""

    description: str
    copyright: str
    version: str
    device_class: str
    class_words: str
    colour_space: str
    pcs: str
    intents: tuple[str, ...]
    size: int
    usable_as_output: bool
    problems: tuple[Problem, ...]
    white_lab: tuple[float, float, float] | None
    black_lab: tuple[float, float, float] | None
    maker: str = ""
    model: str = ""
    made: str = ""
    #: How many measured patches it was made from, as far as it carries them.
    patches: int = 0
    #: Names and values of its metadata tag.
    meta: dict[str, str] = field(default_factory=dict)

    @property
    def stated_error(self) -> float | None:
        """What it states of its own error, mean ΔE00; None where it says nothing that can be a figure."""
        try:
            said = float(self.meta["quality.mean_de00"])
        except (KeyError, ValueError):
            return None
        return said if 0 <= said < 50 else None


def describe(profile: Profile) -> Description:
    """Describe a profile; never raises for one that could be parsed."""
    header = profile.header
    problems = []
    if header.device_class not in CLASSES:
        problems.append(
            Problem(
                "class", "stop", tr("The device class '{device_class}' is not known.", device_class=header.device_class)
            )
        )
    if profile.channels == 0 and header.device_class != "nmcl":
        problems.append(
            Problem(
                "colour-space",
                "stop",
                tr("The colour space '{colour_space}' is not known.", colour_space=header.colour_space),
            )
        )
    if header.pcs not in ("Lab", "XYZ") and header.device_class != "link":
        problems.append(
            Problem("pcs", "stop", tr("The connection space '{pcs}' is neither L*a*b* nor XYZ.", pcs=header.pcs))
        )
    description = text_of(profile, "desc")
    if not description and "desc" in profile.tags:
        problems.append(Problem("description", "caution", tr("It has no readable description.")))
    white = profile.xyz("wtpt")
    problems += damage(profile)
    problems += conformance(profile)
    intents = true_intents(profile)
    black = _black(profile)
    if header.device_class == "prtr" and profile.channels and not any(p.weight == "stop" for p in problems):
        if not intents:
            problems.append(
                Problem("no-output-table", "stop", tr("It has no table from colour to the printer's values."))
            )
        elif "saturation" not in intents or "perceptual" not in intents:
            missing = tr(" and no ").join(tr(i) for i in ("perceptual", "saturation") if i not in intents)
            problems.append(Problem("intents", "note", tr("It has no {missing} table of its own.", missing=missing)))
    usable = header.device_class == "prtr" and not any(p.weight == "stop" for p in problems)
    return Description(
        description=description or profile.name.rsplit("/", 1)[-1],
        copyright=text_of(profile, "cprt"),
        version=header.version,
        device_class=header.device_class,
        class_words=CLASSES.get(header.device_class, "unknown"),
        colour_space=header.colour_space,
        pcs=header.pcs,
        intents=intents,
        size=len(profile.data),
        usable_as_output=usable,
        problems=tuple(problems),
        white_lab=_triple(xyz_to_lab(white)) if white is not None and np.all(white >= 0) else None,
        black_lab=black,
        maker=text_of(profile, "dmnd"),
        model=text_of(profile, "dmdd"),
        made=when.isoformat(" ", "minutes") if (when := created(profile)) else "",
        patches=_patches(profile),
        meta=dictionary_of(profile, "meta"),
    )


def damage(profile: Profile) -> list[Problem]:
    """Decode every table and curve; return a stop for each one that is damaged."""
    problems = []
    for signature in [s for s in profile.tags if s[:3] in ("A2B", "B2A")] + ["gamt"]:
        try:
            lut_of(profile, signature)
        except ProfileError as error:
            problems.append(Problem("damaged-table", "stop", str(error)))
    try:
        matrix_model(profile)
    except ProfileError as error:
        problems.append(Problem("damaged-curve", "stop", str(error)))
    return problems


#: Profiles found sound, by content: each of their tables was decoded once.
_sound: set[str] = set()


def require_sound(profile: Profile) -> None:
    """Refuse a profile whose tables we cannot decode, so that it never reaches the C library.

    Raises
    ------
    ProfileError
        With the first thing that is damaged, or when the profile has no transform at all.
    """
    if profile.content_id in _sound:
        return
    stops = damage(profile)
    if stops:
        raise ProfileError(stops[0].message)
    has_table = any(s[:3] in ("A2B", "B2A") for s in profile.tags)
    if not has_table and matrix_model(profile) is None:
        raise ProfileError(tr("{name} holds no transform between device values and colour.", name=profile.name))
    if len(_sound) > 4096:
        _sound.clear()
    _sound.add(profile.content_id)


def require_output(profile: Profile) -> Description:
    """Return what is known of a profile that can serve as an output profile.

    Raises
    ------
    ProfileError
        When it cannot, with the reason.
    """
    what = describe(profile)
    if not what.usable_as_output:
        stops = [p.message for p in what.problems if p.weight == "stop"]
        because = stops[0] if stops else tr("it is a profile of class {class_words}.", class_words=what.class_words)
        raise ProfileError(
            tr("{name} cannot serve as an output profile: {because}", name=profile.name, because=because)
        )
    return what


def require_target(profile: Profile) -> Description:
    """Return what is known of a profile that pictures can be converted to: of a printer, or a working or grey space.

    Raises
    ------
    ProfileError
        When it is neither, with the reason.
    """
    what = describe(profile)
    space = what.device_class in ("mntr", "spac") and what.colour_space in ("RGB", "GRAY")
    if space and not any(p.weight == "stop" and p.code.startswith("damaged") for p in what.problems):
        require_sound(profile)
        return what
    return require_output(profile)


def true_intents(profile: Profile) -> tuple[str, ...]:
    """Return the intents that a profile truly has; a table that merely repeats another one is not an intent."""
    if profile.header.device_class == "nmcl":
        return ()
    direction = "A2B" if profile.header.device_class == "scnr" else "B2A"
    found = []
    if f"{direction}1" in profile.tags:
        found.append("relative")
    for intent, signature in (("perceptual", f"{direction}0"), ("saturation", f"{direction}2")):
        others = {f"{direction}{n}" for n in range(3)} - {signature}
        repeats = [o for o in others if same_table(profile, signature, o)]
        # Where all tables are the same one, the profile has the colorimetric intent, if any, and no other.
        if signature in profile.tags and (
            not repeats or (signature.endswith("0") and f"{direction}1" not in profile.tags)
        ):
            found.append(intent)
    if not found:
        try:
            model = matrix_model(profile)
        except ProfileError:
            model = None
        if model is not None:
            found.append("relative")
    if found and (profile.xyz("wtpt") is not None):
        found.append("absolute")
    return tuple(i for i in INTENTS if i in found)


def _patches(profile: Profile) -> int:
    """Count the samples of embedded characterisation data (ICC.1:2022, 9.2, charTargetTag), a CGATS text."""
    words = text_of(profile, "targ").split()
    for place, word in enumerate(words[:-1]):
        if word.upper() == "NUMBER_OF_SETS" and words[place + 1].isdecimal():
            return min(int(words[place + 1]), 10**6)
    return 0


def _black(profile: Profile) -> tuple[float, float, float] | None:
    if profile.header.device_class not in ("prtr", "mntr") or profile.header.colour_space not in ("RGB", "GRAY"):
        return None
    try:
        return _triple(device_to_pcs_lab(profile, np.zeros((1, profile.channels)))[0])
    except (ProfileError, ValueError, IndexError):
        return None


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    return (round(float(values[0]), 2), round(float(values[1]), 2), round(float(values[2]), 2))
