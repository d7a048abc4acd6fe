"""One thing that is wrong or doubtful: what, why it matters, and how to mend it."""

from __future__ import annotations

from enum import Enum, auto

from fidele.dataclass import dataclass
from fidele.language import named

WEIGHTS = (named("stop"), named("caution"), named("note"))


class Deed(Enum):
    """What a finding's button does; what it is done to goes with it as `Action.on`."""

    #: On the route.
    BRING = auto()
    SET = auto()
    OWNER = auto()
    CONFIRM = auto()
    CONFIRM_PROGRAM = auto()
    PROBE = auto()
    DRIVER_PASS = auto()
    DRIVER_CONVERT = auto()
    DRIVER_RESET = auto()
    DRIVER_NO_MIRROR = auto()
    DRIVER_NO_TURN = auto()
    DRIVER_TRUE_SIZE = auto()
    SYSTEM_PASS = auto()
    SYSTEM_CONVERT = auto()
    FIDELE_CONVERT = auto()
    #: Work a tuning into the numbers that another owner of the conversion is sent.
    BAKE = auto()
    #: Let the card set a media by the driver's name for it.
    STAND_IN = auto()
    MIRROR = auto()
    MIRROR_NOT = auto()
    LAY_IN = auto()
    READINESS = auto()
    #: On the condition and its profile.
    USE = auto()
    TRY = auto()
    INTENT = auto()
    QUALITY = auto()
    AS_MADE = auto()
    PREHEAT = auto()
    #: On the picture and the sheet.
    PAGE = auto()
    WHITEN = auto()
    BLACKEN = auto()
    SIZE = auto()
    FIT_SHEET = auto()
    TURN = auto()
    NEST = auto()
    PART = auto()
    APART = auto()
    PROPORTIONS = auto()
    #: Open a folder, by its path, in the file manager.
    FOLDER = auto()
    #: Open a desk, by its station in small letters; 'profiles' are those that fit, 'profile' is the condition's,
    #: 'mending' is the desk that mends it.
    SHOW = auto()


@dataclass(frozen=True)
class Action:
    """A deed, and what it is done to: a meaning, an owner, a profile's id, a piece's number …, '' for nothing."""

    deed: Deed
    on: str = ""


@dataclass(frozen=True)
class Finding:
    """One finding. `action` is what mends it at a press, None where only a person can; `button` its label.

    `desk` is the station where it belongs.
    """

    code: str
    weight: str
    title: str
    why: str
    remedy: str
    button: str = ""
    action: Action | None = None
    desk: str = "hand-off"
