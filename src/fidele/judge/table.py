"""The table of findings: code, weight, desk, words and action of each. A new finding is a row here and its rule beside.

Words in braces are filled in by the rule; a rule may give another weight, button or action where the case asks for it.
"""

from __future__ import annotations

from dataclasses import dataclass

from fidele.judge.finding import Action, Deed, Finding


@dataclass(frozen=True)
class Row:
    """One kind of finding."""

    weight: str
    title: str
    why: str
    remedy: str = ""
    button: str = ""
    deed: Deed | None = None
    on: str = ""
    desk: str = "hand-off"


def finding(
    code: str, /, weight: str = "", button: str | None = None, act: Action | None = None, **words: object
) -> Finding:
    """Return a finding of a kind, with its words filled in.

    `button` '' takes it away, as nothing can be pressed in this case; `act` is another action than the row's.
    """
    row = TABLE[code]
    title, why, remedy = (text.format(**words) for text in (row.title, row.why, row.remedy))
    label = (row.button if button is None else button).format(**words)
    own = Action(row.deed, row.on.format(**words)) if row.deed is not None else None
    return Finding(code, weight or row.weight, title, why, remedy, label, (act or own) if label else None, row.desk)


def wrong(meaning: str) -> str:
    """Return the code of a setting that differs from the card."""
    return f"wrong-{meaning.replace('_', '-')}"


#: What a profile may state of its making that is compared with card and driver.
COMPARED = (
    "stand_in",
    "quality",
    "direction",
    "black_ink",
    "density",
    "colour_mode",
    "feed",
    "resolution",
    "dithering",
)

_ALL = "Set everything to the card"
_LEAVE = "Let exactly one layer convert."

TABLE: dict[str, Row] = {
    # The workshop itself
    "kept-damaged": Row(
        "caution",
        "Something that is kept cannot be read",
        "{sentence}",
        "Put back a copy of it, or let it be: everything else works without it.",
        "Show where it lies",
        Deed.FOLDER,
        "{folder}",
    ),
    # The printer, and what is on the way to it
    "printer-missing": Row(
        "stop",
        "The {printer} is not here",
        "This condition is for one machine, {id}, and no such printer answers on this machine. Another one of the same "
        "model needs a condition, and a check, of its own.",
        "Connect it, or copy the condition for another printer.",
        "Make a new condition",
        Deed.SHOW,
        "new condition",
    ),
    "printer-offline": Row(
        "stop",
        "The {printer} does not answer",
        "It is switched off or unplugged, so nothing can be printed and its sensors say nothing.",
        "Switch it on; it is asked again by itself.",
    ),
    "printer-says": Row(
        "caution",
        "{printer}: {says}",
        "The print service tells so of its queue: what is sent may wait there, or come out spoilt.",
        "See to it at the printer, or at its queue.",
    ),
    "wrong-ink": Row(
        "stop",
        "Ink: {found} instead of {wanted}",
        "The profile is true for its own ink set: with another one every colour is off.",
        "Put the right ink in, or choose a profile for this one.",
    ),
    "ink-empty": Row(
        "stop",
        "{tank} ink is used up",
        "A tank that runs dry within a print spoils the sheet.",
        "Have a fresh {fresh} at hand, or change it before a long run.",
    ),
    "ink-low": Row(
        "caution",
        "{tank} ink is at {left:.0f} %",
        "A tank that runs dry within a print spoils the sheet.",
        "Have a fresh {fresh} at hand, or change it before a long run.",
    ),
    "wrong-sheet-loaded": Row(
        "stop",
        "{loaded} lies{way}, the card is for {size}",
        "The picture would be printed beside the sheet, or cut off at its edge.",
        "Lay {size}{way}.",
        "{size} is laid in",
        Deed.LAY_IN,
    ),
    "driver-updated": Row(
        "caution",
        "The driver was changed from version {before} to {now}",
        "A change of version brings its maker's settings back, and may treat the same settings in another way.",
        "Set everything to the card again, then print a chart.",
        _ALL,
        Deed.BRING,
    ),
    "not-ready": Row(
        "stop",
        "The printer is not ready: {what}",
        "Its last readiness page says so. Whatever is printed now lacks that ink, in part or all of it.",
        "Clean the head and print the readiness page again; or print all the same, with a reason.",
        "Print the readiness page",
        Deed.READINESS,
        desk="print",
    ),
    "readiness-due": Row(
        "caution",
        "Is the printer ready?",
        "{why} This condition asks for a readiness page first.",
        "Print it, and look whether any lines are missing.",
        "Print the readiness page",
        Deed.READINESS,
        desk="print",
    ),
    "receipt-differs": Row(
        "caution",
        "Run {number} was printed otherwise than it was sent",
        "The driver says: {differs}. The print may not be what was promised.",
        "Look at the hand-off, mend what is held there, and print it again.",
        "Show the hand-off",
        Deed.SHOW,
        "hand-off",
        desk="print",
    ),
    # Who converts
    "program-not-known": Row(
        "stop",
        "What the other program does is not known",
        "Most programs change the size or the colours of what they print, and none of them says so.",
        "Look there: what must be set, and where, stands in the table.",
        "I looked: it is all set so",
        Deed.CONFIRM_PROGRAM,
    ),
    "program-converts-otherwise": Row(
        "stop",
        "{program} converts, but not as it was asked to",
        "What came out of it is neither the picture's own numbers nor what the profile makes of them, so the proof "
        "shows another print.",
        "In {program}, set colour to convert {wanted}; then probe it again.",
        "Probe it again",
        Deed.PROBE,
    ),
    "work-not-printed": Row(
        "stop",
        "{what} will not be printed",
        "{who} converts, and is sent the picture without it: what was worked on here stays on the screen.",
        "{remedy}",
        "Let Fidele convert",
        Deed.FIDELE_CONVERT,
        desk="proof",
    ),
    "way-not-known": Row(
        "caution",
        "What will come out is not known",
        "{why} So no proof is shown, and nothing is said of what the picture will lose.",
        "Find that out first, or let Fidele convert.",
        desk="proof",
    ),
    "intent-not-used": Row(
        "note",
        "The condition's intent is not used",
        "{who} converts by {used}, whatever this condition says ({asked}). The proof shows that.",
        "Nothing need be done; let Fidele convert to have the condition's own.",
        desk="proof",
    ),
    "media-set-as-another": Row(
        "caution",
        "{media} is set as {asked}",
        "The driver has {media} itself, as “{own}”; set as another media it gets another amount of ink.",
        "Let this condition set “{own}”, unless a profile was made the other way.",
        "Set “{own}”",
        Deed.STAND_IN,
        "{own}",
    ),
    "settings-contradict": Row(
        "caution",
        "Not on offer for this media: {said}",
        "Beside “{media}” the driver does not have that, and takes something else in silence.",
        "Choose on the card what is on offer.",
        "Show the card",
        Deed.SHOW,
        "condition",
    ),
    "layer-unreadable": Row(
        "stop",
        "{layer} cannot be read",
        "Whether it converts, mirrors or scales is not known. Its settings are damaged or gone.",
        "Reset it to its maker's defaults; it is then set to the card.",
        "Reset the driver, then set it to the card",
        Deed.DRIVER_RESET,
    ),
    "owner-greyed-out": Row(
        "stop",
        "Who converts is greyed out in the driver: {found}",
        "The card wants it to {wanted}, but this machine's administrator has locked {place}.",
        "Have it unlocked, or make a condition in which the driver converts.",
        "Let the driver convert in this condition",
        Deed.OWNER,
        "driver",
    ),
    "two-conversions": Row(
        "stop",
        "{count} conversions",
        "{last} converts again what {first} has converted. Colours and greys will come out wrong.",
        "Leave the conversion to one of them.",
    ),
    "no-conversion": Row(
        "stop",
        "Nothing converts",
        "The artwork's numbers reach the ink as they are. Greys will be tinted and colours wrong.",
        "{remedy}",
    ),
    "wrong-owner": Row(
        "stop",
        "{converts} converts, not {owner}",
        "One layer converts, but it is not the one that this condition is for: the colours will be others.",
        "Set everything to the card.",
        _ALL,
        Deed.BRING,
    ),
    "wrong-input-space": Row(
        "stop",
        "{layer} takes the picture for {space}",
        "It is sent {sent}: taken for another space, all colours come out too strong or too weak.",
        "Let it expect {sent}, or choose beside who converts that it is sent what it expects.",
        "Let it expect {sent}",
        Deed.SET,
        "input_space",
    ),
    "wrong-system-profile": Row(
        "stop",
        "The print system converts {found}",
        "The condition's profile is another one, {wanted}: all colours will be off.",
        "Assign the condition's profile to the printer.",
        "Assign the profile to the printer",
        Deed.SYSTEM_CONVERT,
    ),
    "converts-a-bare-chart": Row(
        "stop",
        "Something converts this chart",
        "It is to be printed with nothing converting, but {who} does: a profile made from it would be wrong.",
        "Let the driver pass numbers, and take profiles away from the printer in the print system.",
        "Let the driver pass numbers",
        Deed.SET,
        "colour",
    ),
    # Mirrored, turned, scaled
    "mirrored-twice": Row(
        "stop",
        "Mirrored twice",
        "Two layers mirror, so the picture comes out unmirrored.",
        "Mirror in one place only.",
        "Mirror only in Fidele",
        Deed.DRIVER_NO_MIRROR,
    ),
    "driver-cannot-mirror": Row(
        "stop",
        "This driver cannot mirror",
        "The card leaves the mirroring to it, so nothing mirrors: the piece will read backwards.",
        "Let Fidele mirror.",
        "Mirror in Fidele",
        Deed.MIRROR,
    ),
    "not-mirrored": Row(
        "stop",
        "Not mirrored",
        "Pressed face down, the piece will read backwards.",
        "Mirror once before printing.",
        "Mirror in Fidele",
        Deed.MIRROR,
    ),
    "turned-not-mirrored": Row(
        "stop",
        "Turned, not mirrored",
        "Turning by 180° is not mirroring: Pressed face down, the piece will read backwards.",
        "Mirror once before printing.",
        "Mirror in Fidele",
        Deed.MIRROR,
    ),
    "mirrored-needlessly": Row(
        "stop", "Mirrored, though the piece needs none", "{why}", "Do not mirror.", "Do not mirror", Deed.MIRROR_NOT
    ),
    "scaled": Row(
        "stop",
        "Scaled to {percent:.1f} %",
        "{by} changes the size: 100 mm will print as {percent:.1f} mm{cut}",
        "Leave the size to the sheet.",
        "Print at true size",
        Deed.DRIVER_TRUE_SIZE,
    ),
    "turned": Row(
        "caution",
        "Turned by 180°",
        "The page comes out upside down; the margins change sides.",
        "Switch the turn off.",
        "Switch the turn off",
        Deed.DRIVER_NO_TURN,
    ),
    # Settings
    "preset-lost": Row(
        "stop",
        "{count} settings of the driver are not the card's",
        "Its preset was lost, or an update brought the maker's settings back: {lost}.",
        "Set the driver to the card; it is then read back.",
        _ALL,
        Deed.BRING,
    ),
    "looked-long-ago": Row(
        "note",
        "{label} was looked up {days} days ago",
        "{who} saw then that it is {wanted}. It may have been changed since.",
        "Look {place} again.",
        "I looked: it is {wanted}",
        Deed.CONFIRM,
        "{meaning}",
    ),
    "not-known": Row(
        "caution",
        "{label} is not known",
        "{why}",
        "Look {place} and confirm that it is {wanted}.",
        "I looked: it is {wanted}",
        Deed.CONFIRM,
        "{meaning}",
    ),
    # The profile
    "profile-changed": Row(
        "stop",
        "The profile was changed",
        "{name} is there, but its content is another one than this condition was made with.",
        "Try the new one, or bring the old one back.",
        "Use the new one",
        Deed.USE,
        "{instead}",
    ),
    "profile-missing": Row(
        "stop",
        "The profile is not on the shelf",
        "{name}, through which this condition converts, is not there any more.",
        "Drop the profile on the window, or choose another one.",
        "Show what fits",
        Deed.SHOW,
        "profiles",
    ),
    "profile-does-not-fit": Row(
        "stop",
        "The profile {says} for something else",
        "“{profile}” {words}{proven}",
        "Choose one that fits, or say in its papers what it is for.",
        "Show what fits",
        Deed.SHOW,
        "profiles",
    ),
    **{
        f"made-with-other-{code}": Row(
            "caution",
            "{label}: the card asks for {asked}, the profile for {said}",
            "“{profile}” {who} with {said}. With another one it is not true.",
            "Set the card as the profile was made.",
            "Set it to {first}",
            Deed.AS_MADE,
            meaning,
        )
        for code, meaning in ((m.replace("_", "-"), m) for m in COMPARED)
    },
    "set-by-guess": Row(
        "note",
        "On the card by a guess: {taken}",
        "“{profile}” was read so in its leaflet or its name, and nobody has confirmed it.",
        "Confirm it among the profile's papers, or set it right.",
        "Show its papers",
        Deed.SHOW,
        "profile",
    ),
    "made-with-other-press": Row(
        "caution",
        "Press: {off}",
        "The profile was made with other press settings: the piece will be paler or darker.",
        "Set the card as the profile was made.",
        "Set the press to it",
        Deed.AS_MADE,
        "press",
    ),
    "intent-missing": Row(
        "caution",
        "The profile has no {intent} table",
        "It repeats another one under this name, so what comes out is not what was asked for.",
        "Choose an intent that it has.",
        "Use {instead}",
        Deed.INTENT,
        "{value}",
    ),
    "quality-below-media": Row(
        "caution",
        "Quality {asked}, though this media allows {best}",
        "The profile does not say at which quality it was made; most are made at the best one.",
        "Print at the best quality that the media allows.",
        "Set it to {best}",
        Deed.QUALITY,
        "{best}",
    ),
    "check-failed-here": Row(
        "caution",
        "The last chart through this profile failed",
        "{sentence} That was on {when:%d.%m.%Y}, on this printer.",
        "Set everything as its papers say and try it again, or choose another profile.",
        "Try it again",
        Deed.TRY,
    ),
    "never-verified": Row(
        "caution",
        "Never checked on this printer",
        "Two printers of one model differ. Nothing has shown yet that “{profile}” describes yours.",
        "Try it: a quick chart, printed and scanned, tells within minutes.",
        "Try it on this printer",
        Deed.TRY,
    ),
    "made-not-stated": Row(
        "caution",
        "How the profile was made is not certain",
        "{start}Not stated: {missing}.{guesses}",
        "Confirm its papers: a passed chart settles it as well.",
        "Look at its papers",
        Deed.SHOW,
        "profile",
    ),
    # The picture
    "artwork-lost": Row(
        "stop",
        "{name} cannot be read any more",
        "{sentence} What is shown is what was read before; it could not be printed again.",
        "Bring the file back, or lay the picture aside.",
        desk="artwork",
    ),
    "artwork-doubt": Row(
        "caution", "Something is odd in the file", "{doubt}", "Export the picture again.", desk="artwork"
    ),
    "which-page": Row(
        "caution",
        "It has {pages} pages",
        "The first one is shown; nobody has said which one is meant.",
        "Choose the page below the picture.",
        "It is the first",
        Deed.PAGE,
        "0",
        desk="artwork",
    ),
    "space-supposed": Row(
        "caution",
        "It is not certain what its colours mean",
        "{doubt} A wrong guess tints everything.",
        "Choose by eye among the predicted prints, or ask where the picture comes from.",
        desk="artwork",
    ),
    "already-converted": Row(
        "stop",
        "This picture is converted already",
        "{why} Converting it again would spoil it.",
        "Open the original.",
        desk="artwork",
    ),
    "transparent": Row(
        "note",
        "Parts are transparent",
        "Nothing is printed there: the piece shows.",
        "Nothing needs to be done.",
        desk="artwork",
    ),
    "enlarged": Row(
        "caution",
        "It was enlarged, or is out of focus",
        "Of its {ppi:.0f} ppi at this size no more than {carried:.0f} carry detail.",
        "Ask for the file as it was before, or print it smaller.",
        desk="artwork",
    ),
    "compressed": Row(
        "caution",
        "It was heavily compressed",
        "Edges of 8 x 8 blocks stand out; in even areas they will show on the piece.",
        "Ask for a file that was saved with less compression.",
        desk="artwork",
    ),
    "burnt-out": Row(
        "note",
        "Lights are burnt out",
        "{share:.0f} % of the picture is full white: bare substrate, no drawing in it.",
        "Ask whether there is a softer version.",
        desk="artwork",
    ),
    "grey-text": Row(
        "caution",
        "Black text or lines are not quite black",
        "They print as a mixture of inks, softer than pure black and with coloured edges.",
        "Make them exactly black in the artwork, or replace the colour here.",
        "Make them black",
        Deed.BLACKEN,
        desk="artwork",
    ),
    "veil": Row(
        "caution",
        "Its ground is nearly white, not white",
        "{share:.0f} % of the picture prints as a faint veil whose edge shows on the piece.",
        "Make the ground white, which stays bare.",
        "Make it white",
        Deed.WHITEN,
        desk="artwork",
    ),
    "faint-edges": Row(
        "caution",
        "Transparent edges will print as a faint tint",
        "{share:.1f} % of it is nearly, not fully transparent: shadows and soft edges.",
        "Ask for artwork cut out with hard edges, if no tint is wanted.",
        desk="artwork",
    ),
    "low-resolution": Row(
        "caution",
        "Only {ppi:.0f} ppi at this size",
        "This condition asks for {need} ppi. {look}",
        "Print it smaller, or ask for a larger file.",
        desk="sheet",
    ),
    "holds": Row(
        "note",
        "The piece holds this picture",
        "Less than 1 % of its area is lost.",
        "Nothing needs to be done.",
        desk="proof",
    ),
    "losses": Row(
        "note",
        "{share:.0f} % of the picture is lost",
        "{headline} Lost means more than ΔE00 2 between wanted and printed.",
        "Compare the intents, choose a nearer colour, or tune the picture.",
        desk="proof",
    ),
    "contrast-lost": Row(
        "caution", "{title}", "{pairs}", "Try another intent, replace one of them, or tune the picture.", desk="proof"
    ),
    # The sheet
    "media-too-small": Row(
        "stop",
        "{media} is smaller than its margins",
        "Nothing can be printed on it.",
        "Choose another sheet.",
        desk="sheet",
    ),
    "sheet-too-small": Row(
        "stop",
        "{media} is too small for {what}",
        "The picture is {size}; on this sheet {across} x {along} can be printed. The rest would be cut off.",
        "{remedy}",
        "Part it into panels",
        Deed.PART,
        desk="sheet",
    ),
    "crosses-margin": Row(
        "stop",
        "Reaches beyond the printable area ({edges})",
        "What lies there will be cut off{which}.",
        "{remedy}",
        "Fit it to the sheet",
        Deed.FIT_SHEET,
        desk="sheet",
    ),
    "overlap": Row(
        "caution",
        "{many} lie on each other",
        "{names}: what lies beneath is not printed there.",
        "Nest the pieces, or move them apart.",
        "Nest the pieces",
        Deed.NEST,
        desk="sheet",
    ),
    "stretched": Row(
        "caution",
        "{name} is printed {how} than it is",
        "Its printed size has other proportions than its file.",
        "Keep its width and its own proportions.",
        "Keep its proportions",
        Deed.PROPORTIONS,
        "{number}",
        desk="sheet",
    ),
    "cannot-share": Row(
        "stop",
        "{name} cannot share this sheet",
        "Its condition differs on the printing side: {reasons}.",
        "Give it a sheet of its own, or press it by another condition.",
        "Give it its own sheet",
        Deed.APART,
        "{number}",
        desk="sheet",
    ),
    "no-room-for-strip": Row(
        "note",
        "The control strip does not go on {media}",
        "It is 186 mm wide. Without it this sheet cannot be checked afterwards.",
        "Print the quick chart beside the work.",
        desk="sheet",
    ),
    "no-panels": Row("stop", "It cannot be parted so", "{why}", "Change the panels.", desk="sheet"),
    "seam-through": Row(
        "caution",
        "A seam runs through what was to be kept clear",
        "This is so: {through}.",
        "Drag the seam elsewhere, or ask for more panels or less overlap.",
        desk="sheet",
    ),
    # The press
    "holds-no-dye": Row(
        "stop",
        "{substrate} cannot hold the dye",
        "Sublimation dye goes into polyester and other polymers. Here it would wash out, whatever the press.",
        "Take a substrate of polyester, or a coated one, and a condition made for it.",
        "Show the condition",
        Deed.SHOW,
        "condition",
        desk="press",
    ),
    "no-preheat": Row(
        "caution",
        "Paper and piece are hardly warmed before",
        "{seconds:.0f} s do not drive the damp out; it leaves pale marks.",
        "Warm them for 10 s.",
        "Warm for 10 s",
        Deed.PREHEAT,
        desk="press",
    ),
    "flat-piece": Row(
        "note",
        "A chart is pressed on a flat piece",
        "Take a flat piece of the same {substrate}, with the same time, temperature and pressure.",
        desk="press",
    ),
    # The check
    "check-due": Row(
        "note",
        "Not checked for {days} days",
        "“{card}” was last checked {days} days ago. Inks, papers and heads drift.",
        "Print the control chart.",
        "Go to the check",
        Deed.SHOW,
        "check",
        desk="check",
    ),
    "new-lot": Row(
        "caution",
        "Another lot of {what}: {lot}",
        "“{card}” was checked last with another lot of {what}. Lots differ, some by as much as another paper does.",
        "Print the control chart before the first piece.",
        "Go to the check",
        Deed.SHOW,
        "check",
        desk="check",
    ),
    "passed": Row("note", "The print is right", "{figures}", "Nothing needs to be done.", desk="check"),
    "out-of-tolerance": Row("stop", "Out of tolerance", "{figures}", "See what happened.", desk="check"),
    "seen-mirrored": Row(
        "stop",
        "The chart was seen mirrored",
        "The print was mirrored once too often or not at all.",
        "Look at the hand-off.",
        "Show the hand-off",
        Deed.SHOW,
        "hand-off",
        desk="check",
    ),
    "clipped": Row(
        "caution",
        "{count} patches run into the scanner's end",
        "Their values are too dark to be true.",
        "Scan with less exposure.",
        desk="check",
    ),
    # Charts, before they are taken
    "bare-converts": Row(
        "stop",
        "{who} converts",
        "A chart to characterise by must reach the ink with its own numbers: the route has to have no conversion at "
        "all.",
        "Look at the hand-off.",
        "Show the hand-off",
        Deed.SHOW,
        "hand-off",
        desk="charts",
    ),
    "verify-converts-twice": Row(
        "stop",
        "Two things convert",
        "A chart that verifies the condition goes down the route with exactly one conversion.",
        "Look at the hand-off.",
        "Show the hand-off",
        Deed.SHOW,
        "hand-off",
        desk="charts",
    ),
    "bare-control": Row(
        "note",
        "A control chart usually goes through the condition",
        "With nothing converting it says how the inks print, not whether the condition is right.",
        desk="charts",
    ),
    "about-the-reading": Row("note", "About the reading", "{words}", desk="check"),
}

#: Why a setting that differs from the card matters, and whether it holds the print.
_DIFFERS = {
    "stand_in": ("stop", "The media name decides how much ink is laid down. With another one the profile is not true."),
    "panel_media": ("stop", "The printer was told of another media: it lays down ink, heats and feeds for that one."),
    "quality": ("caution", "The profile was made at another quality: ink load and grain differ."),
    "direction": ("caution", "The profile was made printing one way; both ways leave bands."),
    "given_profile": ("stop", "The driver converts through another profile than the condition's: colours will be off."),
    "given_intent": ("caution", "What the profile cannot hold is treated in another way than in the proof."),
    "resolution": ("caution", "The profile was made at another resolution: dots are laid down in another way."),
    "dithering": ("caution", "The profile was made with another way of setting dots: light tints differ."),
    "fast": ("caution", "The profile was made without it: fast printing is coarser and leaves bands."),
    "black_ink": ("stop", "The other black is weak on this surface: dark parts come out grey."),
    "density": ("stop", "The profile was made at the calibrated ink density. With another one every tone is off."),
    "colour_mode": ("stop", "All colour will be printed as grey."),
    "improvement": ("caution", "The driver changes contrast on its own, after the conversion."),
    "purpose": ("caution", "The driver shifts tones for what it thinks the picture is, after the conversion."),
    "sliders": (
        "caution",
        "Sliders that stand otherwise than on the card tint every print. Where they are wanted, keep them on the card.",
    ),
    "size": ("stop", "The driver expects another sheet than the card."),
    "feed": ("stop", "The sheet goes in another way: margins and place on the sheet differ."),
    "borderless": ("stop", "The picture is enlarged over the edge: no longer at true size, and cut off all around."),
    "two_sided": ("caution", "The next page would be printed on the back of this one."),
    "watermark": ("stop", "The driver prints a word over every page."),
    "copies": ("caution", "The driver prints another number of copies than was asked for."),
    "ink_saving": ("stop", "The printer lays down less ink than the profile was made with. The piece will be pale."),
    "program_colour": ("stop", "The other program changes the finished file's numbers before they are printed."),
    "program_size": ("stop", "The other program changes the size of the finished file, so the piece has another."),
    "program_mirroring": ("stop", "The other program mirrors what is mirrored rightly in the finished file."),
}
TABLE |= {
    wrong(meaning): Row(
        weight,
        "{label}: {found} instead of {wanted}",
        why + "{locked}",
        "{unlock} {place}{then} to {wanted}.",
        "Set it to the card",
        Deed.SET,
        meaning,
    )
    for meaning, (weight, why) in _DIFFERS.items()
}
