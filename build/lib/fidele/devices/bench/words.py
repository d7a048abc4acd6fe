"""What each driver of the bench calls what we mean: all that Fidele knows of them beyond what they tell when asked."""

from __future__ import annotations

from fidele.devices.vocabulary import Word, Words
from fidele.icc.transform import Intent
from fidele.language import named
from fidele.values import Value

_YES_NO: dict[Value, str] = {"no": "off", "yes": "on"}

WREN = Words(
    meanings={
        "colour": Word(
            ("Blend",),
            {
                "Untouched": named("leave the numbers alone"),
                "Velm natural": named("maker's colours"),
                "Velm bright": named("maker's colours, brighter"),
            },
        ),
        "stand_in": Word(("Stock",)),
        "quality": Word(("Passes",)),
        "direction": Word(("Carriage",), {"there": named("one way"), "there and back": named("both ways")}),
        "improvement": Word(("Polish",), {"off": "off", "on": "on"}, "off"),
        "sliders": Word(("Light", "Strength", "Warmth"), rest=0),
        "size": Word(("Format",)),
        "scaling": Word(
            ("Fit",),
            {
                "as it is": "none",
                "into the frame": named("shrunk to fit"),
                "over the edge": named("enlarged over the edge"),
            },
            "as it is",
        ),
        "turn": Word(("Turn",), {"no": "none", "half": named("by 180°")}, "no"),
    },
    # Stock before blend, which it resets; polish before blend, which it hides.
    order=("stand_in", "quality", "direction", "improvement", "colour", "sliders", "size", "scaling", "turn"),
    passes="Untouched",
    corrects="Velm natural",
    open_first={"Polish": "off"},
    by_hand={"ink_saving": "Thrift"},
    scales={"Fit": {"as it is": 1.0, "into the frame": "fit", "over the edge": "cover"}},
    over=1.03,
    trade={"direction": {"one way": "there", "both ways": "there and back", "one direction": "there"}},
)

GANNET = Words(
    meanings={
        "colour": Word(
            ("Cared for by",),
            {
                "nobody": named("leave the numbers alone"),
                "Orrin's eye": named("maker's colours"),
                "Orrin's lively eye": named("maker's colours, livelier"),
                "a profile": named("through a given profile"),
            },
        ),
        "input_space": Word(("Comes in",)),
        "stand_in": Word(("Surface",)),
        "quality": Word(("Finish",)),
        "dithering": Word(("Scatter",), rest="even"),
        "direction": Word(("Hurry",), {"no": named("one way"), "yes": named("both ways, hurried")}, "no"),
        "black_ink": Word(("Black",), {"soft": named("for soft surfaces"), "shining": named("for shining surfaces")}),
        "density": Word(("Flood",), rest=0),
        "colour_mode": Word(("Only grey",), {"no": named("colour"), "yes": named("grey only")}, "no"),
        "improvement": Word(("Lift",), _YES_NO, "no"),
        "purpose": Word(("Occasion",), rest="none"),
        "sliders": Word(("Lighter", "Fuller", "Ruddier"), rest=0),
        "size": Word(("Sheet",)),
        "feed": Word(("Way in",)),
        "scaling": Word(
            ("Resize",), {"none": "none", "to the sheet": named("to the sheet"), "by hand": named("by hand")}, "none"
        ),
        "borderless": Word(("Bleed off",), _YES_NO, "no"),
        "turn": Word(("Head first",), {"no": "none", "yes": named("by 180°")}, "no"),
        "mirroring": Word(("Reflect",), _YES_NO, "no"),
        "two_sided": Word(("Both faces",), _YES_NO, "no"),
        "watermark": Word(("Stamp",), rest="none"),
        "copies": Word(("Number",), rest=1),
    },
    # Surface before black and finish, which it sets; occasion before care, which it hides; sheet before way in.
    order=(
        "stand_in",
        "quality",
        "black_ink",
        "direction",
        "dithering",
        "density",
        "colour_mode",
        "improvement",
        "purpose",
        "colour",
        "input_space",
        "sliders",
        "size",
        "feed",
        "scaling",
        "borderless",
        "turn",
        "mirroring",
        "two_sided",
        "watermark",
        "copies",
    ),
    passes="nobody",
    corrects="Orrin's eye",
    by_profile="a profile",
    open_first={"Occasion": "none"},
    profile="Profile",
    aim="Aim",
    aims={
        Intent.PERCEPTUAL: named("keep the steps"),
        Intent.RELATIVE: named("keep the colours"),
        Intent.SATURATION: named("keep it strong"),
        Intent.ABSOLUTE: named("keep the paper"),
    },
    at_printer={"panel_media": "Laid in"},
    scales={
        "Resize": {"none": 1.0, "to the sheet": "fit", "by hand": "Resize by"},
        "Bleed off": {"no": 1.0, "yes": 1.02},
    },
    trade={
        "direction": {"one way": "no", "both ways": "yes"},
        "black_ink": {"matt black": "soft", "photo black": "shining"},
    },
)

LONGSHIP = Words(
    meanings={
        "colour": Word(
            ("Tongue",),
            {
                "as sent": named("leave the numbers alone"),
                "Skarn": named("maker's colours"),
                "Skarn loud": named("maker's colours, louder"),
                "given profile": named("through a given profile"),
            },
        ),
        "stand_in": Word(("Reel",)),
        "quality": Word(("Layers",)),
        "direction": Word(("Swing",), {"single": named("one way"), "both": named("both ways")}),
        "fast": Word(("Haste",), _YES_NO, "no"),
        "resolution": Word(("Weave",), rest="fine"),
        "density": Word(("Ink",), {v: f"{v} %" for v in range(60, 121)}, 100),
        "colour_mode": Word(("Hues",), {"all": named("colour"), "grey only": named("grey only")}, "all"),
        "improvement": Word(("Smooth seas",), _YES_NO, "no"),
        "sliders": Word(("Sun", "Salt", "Ember"), rest=0),
        "size": Word(("Breadth",), {"full": "610 mm", "two thirds": "406 mm", "third": "203 mm"}),
        "scaling": Word(("Swell",), {v: "none" if v == 1000 else f"{v / 10:g} %" for v in range(950, 1051)}, 1000),
        "turn": Word(("About turn",), {"no": "none", "yes": named("by 180°")}, "no"),
        "mirroring": Word(("Flip",), _YES_NO, "no"),
    },
    # The rig before tongue, ink and swell, which it hides and forgets.
    order=(
        "stand_in",
        "quality",
        "direction",
        "fast",
        "resolution",
        "colour",
        "density",
        "colour_mode",
        "improvement",
        "sliders",
        "size",
        "scaling",
        "turn",
        "mirroring",
    ),
    passes="as sent",
    corrects="Skarn",
    by_profile="given profile",
    open_first={"Rig": "own"},
    profile="Given profile",
    by_hand={"ink_saving": "Lean ink"},
    at_printer={"panel_media": "Reel aboard"},
    scales={"Swell": {v: v / 1000 for v in range(950, 1051)}},
    trade={"direction": {"one way": "single", "both ways": "both"}},
)
