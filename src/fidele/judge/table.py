"""The table of findings: code, weight, desk, words and action of each. A new finding is a row here and its rule beside.

Words in braces are filled in by the rule; a rule may give another weight, button or action where the case asks for it.
"""

from __future__ import annotations

from fidele.dataclass import dataclass
from fidele.judge.finding import Action, Deed, Finding
from fidele.language import filled, tr


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
    title, why, remedy = (filled(text, **words) for text in (row.title, row.why, row.remedy))
    label = filled(row.button if button is None else button, **words)
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

_ALL = tr("Set everything to the card")
_LEAVE = tr("Let exactly one layer convert.")

TABLE: dict[str, Row] = {
    # The workshop itself
    "kept-damaged": Row(
        "caution",
        tr("Something that is kept cannot be read"),
        "{sentence}",
        tr("Put back a copy of it, or let it be: everything else works without it."),
        tr("Show where it lies"),
        Deed.FOLDER,
        "{folder}",
    ),
    # The printer, and what is on the way to it
    "printer-missing": Row(
        "stop",
        tr("The {printer} is not here"),
        tr(
            "This condition is for one machine, {id}, and no such printer answers on this machine. Another "
            "one of the same model needs a condition, and a check, of its own."
        ),
        tr("Connect it, or copy the condition for another printer."),
        tr("Make a new condition"),
        Deed.SHOW,
        tr("new condition"),
    ),
    "printer-offline": Row(
        "stop",
        tr("The {printer} does not answer"),
        tr("It is switched off or unplugged, so nothing can be printed and its sensors say nothing."),
        tr("Switch it on; it is asked again by itself."),
    ),
    "printer-says": Row(
        "caution",
        "{printer}: {says}",
        tr("The print service tells so of its queue: what is sent may wait there, or come out spoilt."),
        tr("See to it at the printer, or at its queue."),
    ),
    "wrong-ink": Row(
        "stop",
        tr("Ink: {found} instead of {wanted}"),
        tr("The profile is true for its own ink set: with another one every colour is off."),
        tr("Put the right ink in, or choose a profile for this one."),
    ),
    "ink-empty": Row(
        "stop",
        tr("{tank} ink is used up"),
        tr("A tank that runs dry within a print spoils the sheet."),
        tr("Have a fresh {fresh} at hand, or change it before a long run."),
    ),
    "ink-low": Row(
        "caution",
        tr("{tank} ink is at {left:.0f} %"),
        tr("A tank that runs dry within a print spoils the sheet."),
        tr("Have a fresh {fresh} at hand, or change it before a long run."),
    ),
    "wrong-sheet-loaded": Row(
        "stop",
        tr("{loaded} lies{way}, the card is for {size}"),
        tr("The picture would be printed beside the sheet, or cut off at its edge."),
        tr("Lay {size}{way}."),
        tr("{size} is laid in"),
        Deed.LAY_IN,
    ),
    "driver-updated": Row(
        "caution",
        tr("The driver was changed from version {before} to {now}"),
        tr("A change of version brings its maker's settings back, and may treat the same settings in another way."),
        tr("Set everything to the card again, then print a chart."),
        _ALL,
        Deed.BRING,
    ),
    "not-ready": Row(
        "stop",
        tr("The printer is not ready: {what}"),
        tr("Its last readiness page says so. Whatever is printed now lacks that ink, in part or all of it."),
        tr("Clean the head and print the readiness page again; or print all the same, with a reason."),
        tr("Print the readiness page"),
        Deed.READINESS,
        desk="print",
    ),
    "readiness-due": Row(
        "caution",
        tr("Is the printer ready?"),
        tr("{why} This condition asks for a readiness page first."),
        tr("Print it, and look whether any lines are missing."),
        tr("Print the readiness page"),
        Deed.READINESS,
        desk="print",
    ),
    "receipt-differs": Row(
        "caution",
        tr("Run {number} was printed otherwise than it was sent"),
        tr("The driver says: {differs}. The print may not be what was promised."),
        tr("Look at the hand-off, mend what is held there, and print it again."),
        tr("Show the hand-off"),
        Deed.SHOW,
        "hand-off",
        desk="print",
    ),
    # Who converts
    "program-not-known": Row(
        "stop",
        tr("What the other program does is not known"),
        tr("Most programs change the size or the colours of what they print, and none of them says so."),
        tr("Look there: what must be set, and where, stands in the table."),
        tr("I looked: it is all set so"),
        Deed.CONFIRM_PROGRAM,
    ),
    "program-converts-otherwise": Row(
        "stop",
        tr("{program} converts, but not as it was asked to"),
        tr(
            "What came out of it is neither the picture's own numbers nor what the profile makes of them, "
            "so the proof shows another print."
        ),
        tr("In {program}, set colour to convert {wanted}; then probe it again."),
        tr("Probe it again"),
        Deed.PROBE,
    ),
    "work-not-printed": Row(
        "stop",
        tr("{what} will not be printed"),
        tr("{who} converts, and is sent the picture without it: what was worked on here stays on the screen."),
        "{remedy}",
        tr("Let Fidele convert"),
        Deed.FIDELE_CONVERT,
        desk="proof",
    ),
    "way-not-known": Row(
        "caution",
        tr("What will come out is not known"),
        tr("{why} So no proof is shown, and nothing is said of what the picture will lose."),
        tr("Find that out first, or let Fidele convert."),
        desk="proof",
    ),
    "intent-not-used": Row(
        "note",
        tr("The condition's intent is not used"),
        tr("{who} converts by {used}, whatever this condition says ({asked}). The proof shows that."),
        tr("Nothing need be done; let Fidele convert to have the condition's own."),
        desk="proof",
    ),
    "media-set-as-another": Row(
        "caution",
        tr("{media} is set as {asked}"),
        tr("The driver has {media} itself, as “{own}”; set as another media it gets another amount of ink."),
        tr("Let this condition set “{own}”, unless a profile was made the other way."),
        tr("Set “{own}”"),
        Deed.STAND_IN,
        "{own}",
    ),
    "settings-contradict": Row(
        "caution",
        tr("Not on offer for this media: {said}"),
        tr("Beside “{media}” the driver does not have that, and takes something else in silence."),
        tr("Choose on the card what is on offer."),
        tr("Show the card"),
        Deed.SHOW,
        "condition",
    ),
    "layer-unreadable": Row(
        "stop",
        tr("{layer} cannot be read"),
        tr("Whether it converts, mirrors or scales is not known. Its settings are damaged or gone."),
        tr("Reset it to its maker's defaults; it is then set to the card."),
        tr("Reset the driver, then set it to the card"),
        Deed.DRIVER_RESET,
    ),
    "owner-greyed-out": Row(
        "stop",
        tr("Who converts is greyed out in the driver: {found}"),
        tr("The card wants it to {wanted}, but this machine's administrator has locked {place}."),
        tr("Have it unlocked, or make a condition in which the driver converts."),
        tr("Let the driver convert in this condition"),
        Deed.OWNER,
        "driver",
    ),
    "two-conversions": Row(
        "stop",
        tr("{count} conversions"),
        tr("{last} converts again what {first} has converted. Colours and greys will come out wrong."),
        tr("Leave the conversion to one of them."),
    ),
    "no-conversion": Row(
        "stop",
        tr("Nothing converts"),
        tr("The artwork's numbers reach the ink as they are. Greys will be tinted and colours wrong."),
        "{remedy}",
    ),
    "wrong-owner": Row(
        "stop",
        tr("{converts} converts, not {owner}"),
        tr("One layer converts, but it is not the one that this condition is for: the colours will be others."),
        tr("Set everything to the card."),
        _ALL,
        Deed.BRING,
    ),
    "wrong-input-space": Row(
        "stop",
        tr("{layer} takes the picture for {space}"),
        tr("It is sent {sent}: taken for another space, all colours come out too strong or too weak."),
        tr("Let it expect {sent}, or choose beside who converts that it is sent what it expects."),
        tr("Let it expect {sent}"),
        Deed.SET,
        "input_space",
    ),
    "wrong-system-profile": Row(
        "stop",
        tr("The print system converts {found}"),
        tr("The condition's profile is another one, {wanted}: all colours will be off."),
        tr("Assign the condition's profile to the printer."),
        tr("Assign the profile to the printer"),
        Deed.SYSTEM_CONVERT,
    ),
    "converts-a-bare-chart": Row(
        "stop",
        tr("Something converts this chart"),
        tr("It is to be printed with nothing converting, but {who} does: a profile made from it would be wrong."),
        tr("Let the driver pass numbers, and take profiles away from the printer in the print system."),
        tr("Let the driver pass numbers"),
        Deed.SET,
        "colour",
    ),
    # Mirrored, turned, scaled
    "mirrored-twice": Row(
        "stop",
        tr("Mirrored twice"),
        tr("Two layers mirror, so the picture comes out unmirrored."),
        tr("Mirror in one place only."),
        tr("Mirror only in Fidele"),
        Deed.DRIVER_NO_MIRROR,
    ),
    "driver-cannot-mirror": Row(
        "stop",
        tr("This driver cannot mirror"),
        tr("The card leaves the mirroring to it, so nothing mirrors: the piece will read backwards."),
        tr("Let Fidele mirror."),
        tr("Mirror in Fidele"),
        Deed.MIRROR,
    ),
    "not-mirrored": Row(
        "stop",
        tr("Not mirrored"),
        tr("Pressed face down, the piece will read backwards."),
        tr("Mirror once before printing."),
        tr("Mirror in Fidele"),
        Deed.MIRROR,
    ),
    "turned-not-mirrored": Row(
        "stop",
        tr("Turned, not mirrored"),
        tr("Turning by 180° is not mirroring: Pressed face down, the piece will read backwards."),
        tr("Mirror once before printing."),
        tr("Mirror in Fidele"),
        Deed.MIRROR,
    ),
    "mirrored-needlessly": Row(
        "stop",
        tr("Mirrored, though the piece needs none"),
        "{why}",
        tr("Do not mirror."),
        tr("Do not mirror"),
        Deed.MIRROR_NOT,
    ),
    "scaled": Row(
        "stop",
        tr("Scaled to {percent:.1f} %"),
        tr("{by} changes the size: 100 mm will print as {percent:.1f} mm{cut}"),
        tr("Leave the size to the sheet."),
        tr("Print at true size"),
        Deed.DRIVER_TRUE_SIZE,
    ),
    "turned": Row(
        "caution",
        tr("Turned by 180°"),
        tr("The page comes out upside down; the margins change sides."),
        tr("Switch the turn off."),
        tr("Switch the turn off"),
        Deed.DRIVER_NO_TURN,
    ),
    # Settings
    "preset-lost": Row(
        "stop",
        tr("{count} settings of the driver are not the card's"),
        tr("Its preset was lost, or an update brought the maker's settings back: {lost}."),
        tr("Set the driver to the card; it is then read back."),
        _ALL,
        Deed.BRING,
    ),
    "looked-long-ago": Row(
        "note",
        tr("{label} was looked up {days} days ago"),
        tr("{who} saw then that it is {wanted}. It may have been changed since."),
        tr("Look {place} again."),
        tr("I looked: it is {wanted}"),
        Deed.CONFIRM,
        "{meaning}",
    ),
    "not-known": Row(
        "caution",
        tr("{label} is not known"),
        "{why}",
        tr("Look {place} and confirm that it is {wanted}."),
        tr("I looked: it is {wanted}"),
        Deed.CONFIRM,
        "{meaning}",
    ),
    # The profile
    "profile-changed": Row(
        "stop",
        tr("The profile was changed"),
        tr("{name} is there, but its content is another one than this condition was made with."),
        tr("Try the new one, or bring the old one back."),
        tr("Use the new one"),
        Deed.USE,
        "{instead}",
    ),
    "profile-missing": Row(
        "stop",
        tr("The profile is not on the shelf"),
        tr("{name}, through which this condition converts, is not there any more."),
        tr("Drop the profile on the window, or choose another one."),
        tr("Show what fits"),
        Deed.SHOW,
        "profiles",
    ),
    "profile-does-not-fit": Row(
        "stop",
        tr("The profile {says} for something else"),
        "{profile} {words}{proven}",
        tr("Choose one that fits, or say in its papers what it is for."),
        tr("Show what fits"),
        Deed.SHOW,
        "profiles",
    ),
    **{
        f"made-with-other-{code}": Row(
            "caution",
            tr("{label}: the card asks for {asked}, the profile for {said}"),
            tr("“{profile}” {who} with {said}. With another one it is not true."),
            tr("Set the card as the profile was made."),
            tr("Set it to {first}"),
            Deed.AS_MADE,
            meaning,
        )
        for code, meaning in ((m.replace("_", "-"), m) for m in COMPARED)
    },
    "set-by-guess": Row(
        "note",
        tr("On the card by a guess: {taken}"),
        tr("“{profile}” was read so in its leaflet or its name, and nobody has confirmed it."),
        tr("Confirm it among the profile's papers, or set it right."),
        tr("Show its papers"),
        Deed.SHOW,
        "profile",
    ),
    "made-with-other-press": Row(
        "caution",
        tr("Press: {off}"),
        tr("The profile was made with other press settings: the piece will be paler or darker."),
        tr("Set the card as the profile was made."),
        tr("Set the press to it"),
        Deed.AS_MADE,
        "press",
    ),
    "intent-missing": Row(
        "caution",
        tr("The profile has no {intent} table"),
        tr("It repeats another one under this name, so what comes out is not what was asked for."),
        tr("Choose an intent that it has."),
        tr("Use {instead}"),
        Deed.INTENT,
        "{value}",
    ),
    "quality-below-media": Row(
        "caution",
        tr("Quality {asked}, though this media allows {best}"),
        tr("The profile does not say at which quality it was made; most are made at the best one."),
        tr("Print at the best quality that the media allows."),
        tr("Set it to {best}"),
        Deed.QUALITY,
        "{best}",
    ),
    "check-failed-here": Row(
        "caution",
        tr("The last chart through this profile failed"),
        tr("{sentence} That was on {when:%d.%m.%Y}, on this printer."),
        tr("Set everything as its papers say and try it again, or choose another profile."),
        tr("Try it again"),
        Deed.TRY,
    ),
    "never-verified": Row(
        "caution",
        tr("Never checked on this printer"),
        tr("Two printers of one model differ. Nothing has shown yet that “{profile}” describes yours."),
        tr("Try it: a quick chart, printed and scanned, tells within minutes."),
        tr("Try it on this printer"),
        Deed.TRY,
    ),
    "made-not-stated": Row(
        "caution",
        tr("How the profile was made is not certain"),
        tr("{start}Not stated: {missing}.{guesses}"),
        tr("Confirm its papers: a passed chart settles it as well."),
        tr("Look at its papers"),
        Deed.SHOW,
        "profile",
    ),
    # The picture
    "artwork-lost": Row(
        "stop",
        tr("{name} cannot be read any more"),
        tr("{sentence} What is shown is what was read before; it could not be printed again."),
        tr("Bring the file back, or lay the picture aside."),
        desk="artwork",
    ),
    "artwork-doubt": Row(
        "caution", tr("Something is odd in the file"), "{doubt}", tr("Export the picture again."), desk="artwork"
    ),
    "which-page": Row(
        "caution",
        tr("It has {pages} pages"),
        tr("The first one is shown; nobody has said which one is meant."),
        tr("Choose the page below the picture."),
        tr("It is the first"),
        Deed.PAGE,
        "0",
        desk="artwork",
    ),
    "space-supposed": Row(
        "caution",
        tr("It is not certain what its colours mean"),
        tr("{doubt} A wrong guess tints everything."),
        tr("Choose by eye among the predicted prints, or ask where the picture comes from."),
        desk="artwork",
    ),
    "already-converted": Row(
        "stop",
        tr("This picture is converted already"),
        tr("{why} Converting it again would spoil it."),
        tr("Open the original."),
        desk="artwork",
    ),
    "transparent": Row(
        "note",
        tr("Parts are transparent"),
        tr("Nothing is printed there: the piece shows."),
        tr("Nothing needs to be done."),
        desk="artwork",
    ),
    "enlarged": Row(
        "caution",
        tr("It was enlarged, or is out of focus"),
        tr("Of its {ppi:.0f} ppi at this size no more than {carried:.0f} carry detail."),
        tr("Ask for the file as it was before, or print it smaller."),
        desk="artwork",
    ),
    "compressed": Row(
        "caution",
        tr("It was heavily compressed"),
        tr("Edges of 8 x 8 blocks stand out; in even areas they will show on the piece."),
        tr("Ask for a file that was saved with less compression."),
        desk="artwork",
    ),
    "burnt-out": Row(
        "note",
        tr("Lights are burnt out"),
        tr("{share:.0f} % of the picture is full white: bare substrate, no drawing in it."),
        tr("Ask whether there is a softer version."),
        desk="artwork",
    ),
    "grey-text": Row(
        "caution",
        tr("Black text or lines are not quite black"),
        tr("They print as a mixture of inks, softer than pure black and with coloured edges."),
        tr("Make them exactly black in the artwork, or replace the colour here."),
        tr("Make them black"),
        Deed.BLACKEN,
        desk="artwork",
    ),
    "veil": Row(
        "caution",
        tr("Its ground is nearly white, not white"),
        tr("{share:.0f} % of the picture prints as a faint veil whose edge shows on the piece."),
        tr("Make the ground white, which stays bare."),
        tr("Make it white"),
        Deed.WHITEN,
        desk="artwork",
    ),
    "faint-edges": Row(
        "caution",
        tr("Transparent edges will print as a faint tint"),
        tr("{share:.1f} % of it is nearly, not fully transparent: shadows and soft edges."),
        tr("Ask for artwork cut out with hard edges, if no tint is wanted."),
        desk="artwork",
    ),
    "low-resolution": Row(
        "caution",
        tr("Only {ppi:.0f} ppi at this size"),
        tr("This condition asks for {need} ppi. {look}"),
        tr("Print it smaller, or ask for a larger file."),
        desk="sheet",
    ),
    "holds": Row(
        "note",
        tr("The piece holds this picture"),
        tr("Less than 1 % of its area is lost."),
        tr("Nothing needs to be done."),
        desk="proof",
    ),
    "losses": Row(
        "note",
        tr("{share:.0f} % of the picture is lost"),
        tr("{headline} Lost means more than ΔE00 2 between wanted and printed."),
        "{remedy}",
        desk="proof",
    ),
    "contrast-lost": Row(
        "caution",
        tr("{title}"),
        "{pairs}",
        tr("Try another intent, replace one of them, or tune the picture."),
        desk="proof",
    ),
    # The sheet
    "media-too-small": Row(
        "stop",
        tr("{media} is smaller than its margins"),
        tr("Nothing can be printed on it."),
        tr("Choose another sheet."),
        desk="sheet",
    ),
    "sheet-too-small": Row(
        "stop",
        tr("{media} is too small for {what}"),
        tr("The picture is {size}; on this sheet {across} x {along} can be printed. The rest would be cut off."),
        "{remedy}",
        tr("Part it into panels"),
        Deed.PART,
        desk="sheet",
    ),
    "crosses-margin": Row(
        "stop",
        tr("Reaches beyond the printable area ({edges})"),
        tr("What lies there will be cut off{which}."),
        "{remedy}",
        tr("Fit it to the sheet"),
        Deed.FIT_SHEET,
        desk="sheet",
    ),
    "overlap": Row(
        "caution",
        tr("{many} lie on each other"),
        tr("{names}: what lies beneath is not printed there."),
        tr("Nest the pieces, or move them apart."),
        tr("Nest the pieces"),
        Deed.NEST,
        desk="sheet",
    ),
    "stretched": Row(
        "caution",
        tr("{name} is printed {how} than it is"),
        tr("Its printed size has other proportions than its file."),
        tr("Keep its width and its own proportions."),
        tr("Keep its proportions"),
        Deed.PROPORTIONS,
        "{number}",
        desk="sheet",
    ),
    "cannot-share": Row(
        "stop",
        tr("{name} cannot share this sheet"),
        tr("Its condition differs on the printing side: {reasons}."),
        tr("Give it a sheet of its own, or press it by another condition."),
        tr("Give it its own sheet"),
        Deed.APART,
        "{number}",
        desk="sheet",
    ),
    "no-room-for-strip": Row(
        "note",
        tr("The control strip does not go on {media}"),
        tr("It is 186 mm wide. Without it this sheet cannot be checked afterwards."),
        tr("Print the quick chart beside the work."),
        desk="sheet",
    ),
    "no-panels": Row("stop", tr("It cannot be parted so"), "{why}", tr("Change the panels."), desk="sheet"),
    "seam-through": Row(
        "caution",
        tr("A seam runs through what was to be kept clear"),
        tr("This is so: {through}."),
        tr("Drag the seam elsewhere, or ask for more panels or less overlap."),
        desk="sheet",
    ),
    # The press
    "holds-no-dye": Row(
        "stop",
        tr("{substrate} cannot hold the dye"),
        tr("Sublimation dye goes into polyester and other polymers. Here it would wash out, whatever the press."),
        tr("Take a substrate of polyester, or a coated one, and a condition made for it."),
        tr("Show the condition"),
        Deed.SHOW,
        "condition",
        desk="press",
    ),
    "no-preheat": Row(
        "caution",
        tr("Paper and piece are hardly warmed before"),
        tr("{seconds:.0f} s do not drive the damp out; it leaves pale marks."),
        tr("Warm them for 10 s."),
        tr("Warm for 10 s"),
        Deed.PREHEAT,
        desk="press",
    ),
    "flat-piece": Row(
        "note",
        tr("A chart is pressed on a flat piece"),
        tr("Take a flat piece of the same {substrate}, with the same time, temperature and pressure."),
        desk="press",
    ),
    # The check
    "check-due": Row(
        "note",
        tr("Not checked for {days} days"),
        tr("“{card}” was last checked {days} days ago. Inks, papers and heads drift."),
        tr("Print the control chart."),
        tr("Go to the check"),
        Deed.SHOW,
        "check",
        desk="check",
    ),
    "toward-a-profile": Row(
        "note",
        tr("{share:.0f} % of a profile is there already"),
        tr(
            "{n} patches of this print were measured, and what the driver makes of numbers is known. One more page, "
            "{chart}, printed with nothing converting, makes a profile of it."
        ),
        "",
        tr("Go to own profile"),
        Deed.SHOW,
        "one page",
        desk="proof",
    ),
    "curved-piece": Row(
        "note",
        tr("{name} is too curved to be measured"),
        tr(
            "Print the control chart on a flat piece of the same coating, press it alike and check that; the piece "
            "itself is judged by eye."
        ),
        "",
        tr("Go to the charts"),
        Deed.SHOW,
        "charts",
        desk="check",
    ),
    "new-lot": Row(
        "caution",
        tr("Another lot of {what}: {lot}"),
        tr("“{card}” was checked last with another lot of {what}. Lots differ, some by as much as another paper does."),
        tr("Print the control chart before the first piece."),
        tr("Go to the check"),
        Deed.SHOW,
        "check",
        desk="check",
    ),
    "passed": Row("note", tr("The print is right"), "{figures}", tr("Nothing needs to be done."), desk="check"),
    "out-of-tolerance": Row("stop", tr("Out of tolerance"), "{figures}", tr("See what happened."), desk="check"),
    "seen-mirrored": Row(
        "stop",
        tr("The chart was seen mirrored"),
        tr("The print was mirrored once too often or not at all."),
        tr("Look at the hand-off."),
        tr("Show the hand-off"),
        Deed.SHOW,
        "hand-off",
        desk="check",
    ),
    "clipped": Row(
        "caution",
        tr("{count} patches run into the scanner's end"),
        tr("Their values are too dark to be true."),
        tr("Scan with less exposure."),
        desk="check",
    ),
    # Charts, before they are taken
    "bare-converts": Row(
        "stop",
        tr("{who} converts"),
        tr(
            "A chart to characterise by must reach the ink with its own numbers: the route has to have no "
            "conversion at all."
        ),
        tr("Look at the hand-off."),
        tr("Show the hand-off"),
        Deed.SHOW,
        "hand-off",
        desk="charts",
    ),
    "verify-converts-twice": Row(
        "stop",
        tr("Two things convert"),
        tr("A chart that verifies the condition goes down the route with exactly one conversion."),
        tr("Look at the hand-off."),
        tr("Show the hand-off"),
        Deed.SHOW,
        "hand-off",
        desk="charts",
    ),
    "bare-control": Row(
        "note",
        tr("A control chart usually goes through the condition"),
        tr("With nothing converting it says how the inks print, not whether the condition is right."),
        desk="charts",
    ),
    "about-the-reading": Row("note", tr("About the reading"), "{words}", desk="check"),
}

#: Why a setting that differs from the card matters, and whether it holds the print.
_DIFFERS = {
    "stand_in": (
        "stop",
        tr("The media name decides how much ink is laid down. With another one the profile is not true."),
    ),
    "panel_media": (
        "stop",
        tr("The printer was told of another media: it lays down ink, heats and feeds for that one."),
    ),
    "quality": ("caution", tr("The profile was made at another quality: ink load and grain differ.")),
    "direction": ("caution", tr("The profile was made printing one way; both ways leave bands.")),
    "given_profile": (
        "stop",
        tr("The driver converts through another profile than the condition's: colours will be off."),
    ),
    "given_intent": ("caution", tr("What the profile cannot hold is treated in another way than in the proof.")),
    "resolution": ("caution", tr("The profile was made at another resolution: dots are laid down in another way.")),
    "dithering": ("caution", tr("The profile was made with another way of setting dots: light tints differ.")),
    "fast": ("caution", tr("The profile was made without it: fast printing is coarser and leaves bands.")),
    "black_ink": ("stop", tr("The other black is weak on this surface: dark parts come out grey.")),
    "density": ("stop", tr("The profile was made at the calibrated ink density. With another one every tone is off.")),
    "colour_mode": ("stop", tr("All colour will be printed as grey.")),
    "improvement": ("caution", tr("The driver changes contrast on its own, after the conversion.")),
    "purpose": ("caution", tr("The driver shifts tones for what it thinks the picture is, after the conversion.")),
    "sliders": (
        "caution",
        tr(
            "Sliders that stand otherwise than on the card tint every print. Where they are wanted, keep "
            "them on the card."
        ),
    ),
    "size": ("stop", tr("The driver expects another sheet than the card.")),
    "feed": ("stop", tr("The sheet goes in another way: margins and place on the sheet differ.")),
    "borderless": (
        "stop",
        tr("The picture is enlarged over the edge: no longer at true size, and cut off all around."),
    ),
    "two_sided": ("caution", tr("The next page would be printed on the back of this one.")),
    "watermark": ("stop", tr("The driver prints a word over every page.")),
    "copies": ("caution", tr("The driver prints another number of copies than was asked for.")),
    "ink_saving": (
        "stop",
        tr("The printer lays down less ink than the profile was made with. The piece will be pale."),
    ),
    "program_colour": ("stop", tr("The other program changes the finished file's numbers before they are printed.")),
    "program_size": ("stop", tr("The other program changes the size of the finished file, so the piece has another.")),
    "program_mirroring": ("stop", tr("The other program mirrors what is mirrored rightly in the finished file.")),
}
TABLE |= {
    wrong(meaning): Row(
        weight,
        tr("{label}: {found} instead of {wanted}"),
        why + "{locked}",
        "{remedy}",
        tr("Set it to the card"),
        Deed.SET,
        meaning,
    )
    for meaning, (weight, why) in _DIFFERS.items()
}
