"""The causes that the check knows: what each is called, a sentence on it, and what to do now; which share a mend."""

from __future__ import annotations

from fidele.language import tr

#: Name, sentence and next step of each kind of suspect.
WORDS: dict[str, tuple[str, str, str]] = {
    "right": (tr("Right"), tr("Colour was converted once, as it should be."), tr("Nothing to do.")),
    "converted-twice": (
        tr("Converted twice"),
        tr("The measured patches fit a second conversion by the driver best."),
        tr("Let the driver pass numbers, print again, and check again."),
    ),
    "twice-by-system": (
        tr("Converted twice, by the print system"),
        tr("The measured patches fit a second conversion through the same profile best: the print system's."),
        tr("Take the profile away from the printer in the print system."),
    ),
    "not-converted": (
        tr("Not converted"),
        tr("The measured patches fit a print of bare, unconverted numbers best."),
        tr("Let Fidele convert: give the condition its profile."),
    ),
    "driver-only": (
        tr("Driver's colours only"),
        tr("The measured patches fit a conversion by the driver alone best."),
        tr("Let Fidele convert, and the driver pass numbers."),
    ),
    "fidele-only": (
        tr("Fidele's conversion instead"),
        tr("The measured patches fit a conversion by Fidele, where the driver was to convert."),
        tr("Decide who converts, and set the others to pass."),
    ),
    "wrong-intent": (
        tr("Another intent"),
        tr("The measured patches fit a conversion with another rendering intent best."),
        tr("Choose the intent on the proof desk, and print again."),
    ),
    "wrong-source": (
        tr("Source taken for another space"),
        tr("The measured patches fit artwork that was taken for another space than it is in."),
        tr("Look at the source slip on the artwork desk."),
    ),
    "wrong-profile": (
        tr("Another profile"),
        tr("The measured patches fit a conversion through another profile on the shelf best."),
        tr("Give the condition its own profile again."),
    ),
    "greys-only": (
        tr("Printed in greys"),
        tr("The print has no colour: the driver was told to print in greys."),
        tr("Switch printing in greys off in the driver."),
    ),
    "less-ink": (
        tr("Less ink than the profile was made with"),
        tr("All inks are weaker alike."),
        tr(
            "Compare the driver's media name, quality, density and black ink with the card, and ink saving "
            "at the printer; then press data. Pressing one more piece for longer tells: if it comes out "
            "stronger, it was the press."
        ),
    ),
    "more-ink": (
        tr("More ink than the profile was made with"),
        tr("All inks are stronger alike."),
        tr("Compare the driver's media name, quality and density with the card."),
    ),
    "ink-weak": (
        tr("One ink is weak or missing"),
        tr("One ink alone is weaker than the profile expects."),
        tr("Print a nozzle pattern and clean the head; then print again."),
    ),
    "unit": (
        tr("The profile does not describe this printer as it is now"),
        tr("The route is right, but the inks are not quite what the profile was made with."),
        tr(
            "Where it once passed, it has drifted: check the heads, then mend the profile by the thirty patches of the "
            "mending chart. Else make a profile for this unit."
        ),
    ),
    "under-pressed": (
        tr("Pressed too short or too cool"),
        tr("The more ink a colour has, the more of it is missing: the dye was not all given off."),
        tr("Press one more piece for longer, at the temperature on the card; check pressure and damp."),
    ),
    "uneven": (
        tr("Took the dye unevenly"),
        tr("Parts of the piece are paler than others, all colours alike: damp, or a press that does not close evenly."),
        tr(
            "Warm paper and piece before, to drive out damp; look whether the press closes evenly; then "
            "press once more."
        ),
    ),
    "no-dye": (
        tr("The piece takes hardly any dye"),
        tr("All colours are pale alike: the dye found nothing to go into."),
        tr("Is the piece coated, or polyester? Look at the side that is coated. Cotton and bare stone hold none."),
    ),
    "ink-exchanged": (
        tr("Two inks exchanged"),
        tr("The colours are those of a print with two inks in each other's place."),
        tr("Look at the tanks and the head's ink lines; print a nozzle page, whose inks are named."),
    ),
    "other-media": (
        tr("Another media"),
        tr("The measured patches fit the same numbers printed on another media, whose profile lies on the shelf."),
        tr("Load the media that the card names, or take the condition that belongs to this one."),
    ),
    "over-pressed": (
        tr("Pressed too long or too hot"),
        tr("The bare substrate is yellowed."),
        tr("Press for less time or cooler, as the card says."),
    ),
    "by-hand": (
        tr("Sliders or automatic improvement"),
        tr("The numbers were bent after the conversion, as hand sliders or an automatic improvement do."),
        tr("Put all sliders of the driver to rest and switch its improvements off."),
    ),
    "measured-relative": (
        tr("Measured relative to the paper"),
        tr("The values fit where the paper's own white is taken out: the instrument was set to show them so."),
        tr("Measure again with absolute values, or choose “Relative to the substrate's white” for this check."),
    ),
    "measured-otherwise": (
        tr("Measured under another light or observer"),
        tr("The paper fits, but colours are mixed as another illuminant, observer or measuring condition shows them."),
        tr("Set the instrument to D50, 2° and the measuring condition of the profile, and measure again."),
    ),
    "brightener": (
        tr("Another share of brightener"),
        tr(
            "White and pale colours are bluer or yellower together: the substrate's brightener, or the "
            "ultraviolet in the instrument's light, is not what it was for the profile."
        ),
        tr(
            "Set the measuring condition of the profile (M0, M1 or M2). If it is set: another lot or "
            "coating of the substrate, which wants a profile of its own."
        ),
    ),
    "veiled": (
        tr("A veil over all colours"),
        tr("Everything is lighter by the same light: a dirty glass, glare, or a lid that did not close."),
        tr("Clean the glass, close the lid, take away what shines, and scan again."),
    ),
    "patches-swapped": (
        tr("Two patches exchanged"),
        tr("All patches fit but these, and they fit where each is taken for the other."),
        tr("Measure them again, or leave them out."),
    ),
    "spots": (
        tr("Single patches off"),
        tr("All patches fit but these few: dust, lint, damp, a scratch, or a slip while measuring."),
        tr("Look at them on the piece; measure them again, or leave them out."),
    ),
    "scanned-bare": (
        tr("Scanned without its profile"),
        tr("The scan was taken for sRGB; read through the scanner's profile it fits."),
        tr("Read the scan through the scanner's profile."),
    ),
    "mixed-up": (
        tr("Patches in another order"),
        tr("The patches fit when they are read in another order."),
        tr("Were they measured by rows or by columns, from which corner? Measure them again in the chart's order."),
    ),
    "mirrored": (
        tr("Mirrored"),
        tr("The colours are right, but the print is mirrored."),
        tr("Set mirroring once: by Fidele or by the driver."),
    ),
    "scaled": (
        tr("Not true to size"),
        tr("The colours are right, but the print is larger or smaller than it should be."),
        tr("Switch scaling off in the driver."),
    ),
    "banding": (
        tr("Stripes"),
        tr("The colours are right, but stripes run across the print."),
        tr("Print in one direction, or clean and align the heads."),
    ),
    "none": (
        tr("None of what is known explains this"),
        tr("No suspected fault explains the measured patches."),
        tr("Is it the chart, the condition and the piece that you think? Print the control chart once more."),
    ),
    "scanner-bare": (
        tr("Not judged: the scanner has no profile"),
        tr(
            "Without a profile a scanner shows colours in a way of its own: right and wrong cannot be told apart by it."
        ),
        tr(
            "Look at the piece beside the picture and say what you see; or make the scanner's profile from "
            "a target with known values."
        ),
    ),
    "no-profile": (
        tr("No profile to judge by"),
        tr("No profile says what this print should be: it is held against the picture on the screen."),
        tr("Lay another print of this chart beside it, or have a profile made for this condition."),
    ),
    "bare": (
        tr("Printed with nothing converting"),
        tr("This print is there to be measured, not judged: it shows what the printer does by itself."),
        tr("When all pages are measured, make the profile: “Own profile”."),
    ),
    "undecided": (
        tr("Undecided"),
        tr("Several explanations fit nearly as well."),
        tr("Make the next print that is named, or measure more patches."),
    ),
}

#: What is done against a cause, by kind: causes with one mend can be told together. Others have one of their own.
MENDS = {
    "converted-twice": tr("everything in driver and print system to the card"),
    "twice-by-system": tr("everything in driver and print system to the card"),
    "by-hand": tr("everything in driver and print system to the card"),
    "greys-only": tr("everything in driver and print system to the card"),
    "not-converted": tr("Fidele converts, the driver passes numbers"),
    "driver-only": tr("Fidele converts, the driver passes numbers"),
    "less-ink": tr("ink load and press to the card"),
    "under-pressed": tr("ink load and press to the card"),
    "no-dye": tr("ink load and press to the card"),
    "ink-weak": tr("a nozzle page, clean heads, else a new profile"),
    "unit": tr("a nozzle page, clean heads, else mending the profile"),
    "other-media": tr("the media to the card"),
}


def mend_of(code: str) -> str:
    """Return what is done against a cause, by its code."""
    kind = code.partition(":")[0]
    return MENDS.get(kind, code)
