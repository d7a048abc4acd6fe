"""The causes that the check knows: what each is called, a sentence on it, and what to do now; which share a mend."""

from __future__ import annotations

#: Name, sentence and next step of each kind of suspect.
WORDS: dict[str, tuple[str, str, str]] = {
    "right": ("Right", "Colour was converted once, as it should be.", "Nothing to do."),
    "converted-twice": (
        "Converted twice",
        "The measured patches fit a second conversion by the driver best.",
        "Let the driver pass numbers, print again, and check again.",
    ),
    "twice-by-system": (
        "Converted twice, by the print system",
        "The measured patches fit a second conversion through the same profile best: the print system's.",
        "Take the profile away from the printer in the print system.",
    ),
    "not-converted": (
        "Not converted",
        "The measured patches fit a print of bare, unconverted numbers best.",
        "Let Fidele convert: give the condition its profile.",
    ),
    "driver-only": (
        "Driver's colours only",
        "The measured patches fit a conversion by the driver alone best.",
        "Let Fidele convert, and the driver pass numbers.",
    ),
    "fidele-only": (
        "Fidele's conversion instead",
        "The measured patches fit a conversion by Fidele, where the driver was to convert.",
        "Decide who converts, and set the others to pass.",
    ),
    "wrong-intent": (
        "Another intent",
        "The measured patches fit a conversion with another rendering intent best.",
        "Choose the intent on the proof desk, and print again.",
    ),
    "wrong-source": (
        "Source taken for another space",
        "The measured patches fit artwork that was taken for another space than it is in.",
        "Look at the source slip on the artwork desk.",
    ),
    "wrong-profile": (
        "Another profile",
        "The measured patches fit a conversion through another profile on the shelf best.",
        "Give the condition its own profile again.",
    ),
    "greys-only": (
        "Printed in greys",
        "The print has no colour: the driver was told to print in greys.",
        "Switch printing in greys off in the driver.",
    ),
    "less-ink": (
        "Less ink than the profile was made with",
        "All inks are weaker alike.",
        "Compare the driver's media name, quality, density and black ink with the card, and ink saving at the printer; "
        "then press data. Pressing one more piece for longer tells: if it comes out stronger, it was the press.",
    ),
    "more-ink": (
        "More ink than the profile was made with",
        "All inks are stronger alike.",
        "Compare the driver's media name, quality and density with the card.",
    ),
    "ink-weak": (
        "One ink is weak or missing",
        "One ink alone is weaker than the profile expects.",
        "Print a nozzle pattern and clean the head; then print again.",
    ),
    "unit": (
        "The profile does not describe this printer as it is now",
        "The route is right, but the inks are not quite what the profile was made with.",
        "Where it once passed, it has drifted: check the heads. Else have a profile made for this unit.",
    ),
    "under-pressed": (
        "Pressed too short or too cool",
        "The more ink a colour has, the more of it is missing: the dye was not all given off.",
        "Press one more piece for longer, at the temperature on the card; check pressure and damp.",
    ),
    "uneven": (
        "Took the dye unevenly",
        "Parts of the piece are paler than others, all colours alike: damp, or a press that does not close evenly.",
        "Warm paper and piece before, to drive out damp; look whether the press closes evenly; then press once more.",
    ),
    "no-dye": (
        "The piece takes hardly any dye",
        "All colours are pale alike: the dye found nothing to go into.",
        "Is the piece coated, or polyester? Look at the side that is coated. Cotton and bare stone hold none.",
    ),
    "ink-exchanged": (
        "Two inks exchanged",
        "The colours are those of a print with two inks in each other's place.",
        "Look at the tanks and the head's ink lines; print a nozzle page, whose inks are named.",
    ),
    "other-media": (
        "Another media",
        "The measured patches fit the same numbers printed on another media, whose profile lies on the shelf.",
        "Load the media that the card names, or take the condition that belongs to this one.",
    ),
    "over-pressed": (
        "Pressed too long or too hot",
        "The bare substrate is yellowed.",
        "Press for less time or cooler, as the card says.",
    ),
    "by-hand": (
        "Sliders or automatic improvement",
        "The numbers were bent after the conversion, as hand sliders or an automatic improvement do.",
        "Put all sliders of the driver to rest and switch its improvements off.",
    ),
    "measured-relative": (
        "Measured relative to the paper",
        "The values fit where the paper's own white is taken out: the instrument was set to show them so.",
        "Measure again with absolute values, or choose “Relative to the substrate's white” for this check.",
    ),
    "measured-otherwise": (
        "Measured under another light or observer",
        "The paper fits, but colours are mixed as another illuminant, observer or measuring condition shows them.",
        "Set the instrument to D50, 2° and the measuring condition of the profile, and measure again.",
    ),
    "brightener": (
        "Another share of brightener",
        "White and pale colours are bluer or yellower together: the substrate's brightener, or the ultraviolet in the "
        "instrument's light, is not what it was for the profile.",
        "Set the measuring condition of the profile (M0, M1 or M2). If it is set: another lot or coating of the "
        "substrate, which wants a profile of its own.",
    ),
    "veiled": (
        "A veil over all colours",
        "Everything is lighter by the same light: a dirty glass, glare, or a lid that did not close.",
        "Clean the glass, close the lid, take away what shines, and scan again.",
    ),
    "patches-swapped": (
        "Two patches exchanged",
        "All patches fit but these, and they fit where each is taken for the other.",
        "Measure them again, or leave them out.",
    ),
    "spots": (
        "Single patches off",
        "All patches fit but these few: dust, lint, damp, a scratch, or a slip while measuring.",
        "Look at them on the piece; measure them again, or leave them out.",
    ),
    "scanned-bare": (
        "Scanned without its profile",
        "The scan was taken for sRGB; read through the scanner's profile it fits.",
        "Read the scan through the scanner's profile.",
    ),
    "mixed-up": (
        "Patches in another order",
        "The patches fit when they are read in another order.",
        "Were they measured by rows or by columns, from which corner? Measure them again in the chart's order.",
    ),
    "mirrored": (
        "Mirrored",
        "The colours are right, but the print is mirrored.",
        "Set mirroring once: by Fidele or by the driver.",
    ),
    "scaled": (
        "Not true to size",
        "The colours are right, but the print is larger or smaller than it should be.",
        "Switch scaling off in the driver.",
    ),
    "banding": (
        "Stripes",
        "The colours are right, but stripes run across the print.",
        "Print in one direction, or clean and align the heads.",
    ),
    "none": (
        "None of what is known explains this",
        "No suspected fault explains the measured patches.",
        "Is it the chart, the condition and the piece that you think? Print the control chart once more.",
    ),
    "scanner-bare": (
        "Not judged: the scanner has no profile",
        "Without a profile a scanner shows colours in a way of its own: right and wrong cannot be told apart by it.",
        "Look at the piece beside the picture and say what you see; or make the scanner's profile from a target "
        "with known values.",
    ),
    "no-profile": (
        "No profile to judge by",
        "No profile says what this print should be: it is held against the picture on the screen.",
        "Lay another print of this chart beside it, or have a profile made for this condition.",
    ),
    "bare": (
        "Printed with nothing converting",
        "This print is there to be measured, not judged: it shows what the printer does by itself.",
        "When all pages are measured, make the profile: “Own profile”.",
    ),
    "undecided": (
        "Undecided",
        "Several explanations fit nearly as well.",
        "Make the next print that is named, or measure more patches.",
    ),
}

#: What is done against a cause, by kind: causes with one mend can be told together. Others have one of their own.
MENDS = {
    "converted-twice": "everything in driver and print system to the card",
    "twice-by-system": "everything in driver and print system to the card",
    "by-hand": "everything in driver and print system to the card",
    "greys-only": "everything in driver and print system to the card",
    "not-converted": "Fidele converts, the driver passes numbers",
    "driver-only": "Fidele converts, the driver passes numbers",
    "less-ink": "ink load and press to the card",
    "under-pressed": "ink load and press to the card",
    "no-dye": "ink load and press to the card",
    "ink-weak": "a nozzle page, clean heads, else a new profile",
    "unit": "a nozzle page, clean heads, else a new profile",
    "other-media": "the media to the card",
}


def mend_of(code: str) -> str:
    """Return what is done against a cause, by its code."""
    kind = code.partition(":")[0]
    return MENDS.get(kind, code)
