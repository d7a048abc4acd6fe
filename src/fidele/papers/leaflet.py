"""Read a supplier's leaflet (text, PDF, mail) and find in its sentences how a profile was made. All are guesses."""

from __future__ import annotations

import html
import re
from dataclasses import field

from fidele.apart.ask import outside
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr
from fidele.papers.model import Said

_PAGES, _LETTERS = 40, 200_000


#: 'Your profile for Fen 140 on polyester': what stands between is the media, whoever makes it.
_MADE_FOR = re.compile(r"\b[Pp]rofile for (?:the )?([A-Z][\w-]*(?: [\w-]+){0,3}?)(?= on\b| paper\b)")
#: Pounds per square inch in bar.
_BAR_OF_PSI = 0.0689476


@dataclass(frozen=True)
class Vocabulary:
    """A driver's words: the meaning behind each control's name, and the values that each meaning can have.

    `plain` turns words of the trade ('one way') into this driver's own, by meaning.
    """

    controls: dict[str, str] = field(default_factory=dict)
    values: dict[str, tuple[str, ...]] = field(default_factory=dict)
    plain: dict[str, dict[str, str]] = field(default_factory=dict)
    media: tuple[str, ...] = ()


@dataclass(frozen=True)
class Leaflet:
    """What a supplier wrote: how it is called, the file, and its text; '' where none can be read."""

    name: str
    data: bytes = field(repr=False)
    text: str = field(repr=False)


def read_leaflet(name: str, data: bytes) -> Leaflet:
    """Read a leaflet as far as it can be read."""
    try:
        return Leaflet(name, data, text_of_leaflet(name, data))
    except FideleError:
        return Leaflet(name, data, "")


@outside
def text_of_leaflet(name: str, data: bytes) -> str:
    """Return the text of a leaflet.

    Raises
    ------
    FideleError
        When it holds no text that can be read.
    """
    suffix = name.lower().rsplit(".", 1)[-1]
    if suffix == "pdf" or data[:5] == b"%PDF-":
        text = _pdf(name, data)
    elif suffix == "eml":
        text = _mail(data)
    else:
        text = _decoded(data)
        if suffix in ("html", "htm"):
            text = _stripped(text)
    text = text[:_LETTERS].replace("\r\n", "\n").replace("\r", "\n")
    if not text.strip():
        raise FideleError(tr("{name} holds no text that can be read.", name=name))
    return text


def _pdf(name: str, data: bytes) -> str:
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(data)
        try:
            pages = min(len(document), _PAGES)
            return "\n".join(document[i].get_textpage().get_text_bounded() for i in range(pages))
        finally:
            document.close()
    except pypdfium2.PdfiumError as error:
        raise FideleError(tr("{name} is a damaged or locked PDF.", name=name)) from error


def _mail(data: bytes) -> str:
    import email.policy

    message = email.message_from_bytes(data, policy=email.policy.default)
    parts = [str(message.get("subject", ""))]
    for part in message.walk():
        if part.is_multipart() or part.get_filename():
            continue
        raw = part.get_payload(decode=True)
        if not isinstance(raw, bytes):
            continue
        if part.get_content_type() == "text/plain":
            parts.append(_decoded(raw))
        elif part.get_content_type() == "text/html":
            parts.append(_stripped(_decoded(raw)))
    return "\n".join(parts)


def _decoded(data: bytes) -> str:
    for encoding in ("utf-8-sig", "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    return data.decode("latin-1")


def _stripped(text: str) -> str:
    text = re.sub(r"(?is)<(script|style)\b.*?</\1>", " ", text)
    return html.unescape(re.sub(r"<[^>]*>", "\n", text))


def statements(text: str, words: Vocabulary) -> dict[str, Said]:
    """Return what a leaflet says of how a profile was made, each with the sentence it stands in."""
    found: dict[str, Said] = {}
    for sentence in sentences(text):
        for meaning, value in _of_sentence(sentence, words).items():
            found.setdefault(meaning, Said(value=value, origin="leaflet", sentence=sentence[:300]))
    return found


def sentences(text: str) -> list[str]:
    """Part a text into sentences: lines that were broken for width belong together."""
    joined = re.sub(r"(?<![.:;!?\n])\n(?=[^\n\-*•])(?=\S)", " ", text)
    parts = re.split(r"\n+|(?<=[.!?;])\s+(?=[A-Z0-9“\"(])", joined)
    return [p for p in (" ".join(part.split()) for part in parts) if p]


def _of_sentence(sentence: str, words: Vocabulary) -> dict[str, str]:
    found: dict[str, str] = {}
    low = sentence.casefold()
    for control, meaning in words.controls.items():
        if meaning not in found:
            value = _after(control, words.values.get(meaning, ()), sentence)
            if value:
                found[meaning] = value
    for meaning, table in words.plain.items():
        if meaning not in found:
            for said, value in table.items():
                if said in low and re.search(rf"\b{re.escape(said)}\b", low):
                    found[meaning] = value
                    break
    found |= {k: v for k, v in _press(low).items() if k not in found}
    found |= {k: v for k, v in _trade(low).items() if k not in found}
    if made := _MADE_FOR.search(sentence):
        found.setdefault("media", made[1].strip())
    for name in words.media:
        if (plain := name.casefold()) in low and re.search(rf"\b{re.escape(plain)}\b", low):
            found.setdefault("media", name)
    return found


def _after(control: str, values: tuple[str, ...], sentence: str) -> str:
    """Return the values of a control that follow its name; several are parted by commas."""
    if control.casefold() not in sentence.casefold():  # most are not: a pattern for each would take its time
        return ""
    match = re.search(rf"\b{re.escape(control)}\b\s*(?:[:=]|is|to|set to)?\s*", sentence, re.IGNORECASE)
    if not match:
        return ""
    rest, got = sentence[match.end() :], []
    while True:
        hit = next(
            (
                v
                for v in sorted(values, key=len, reverse=True)
                if re.match(rf"[\"'“”„‘’»«]?{re.escape(v)}(?!\w)[\"'“”„‘’»«]?", rest, re.IGNORECASE)
            ),
            "",
        )
        if not hit:
            break
        got.append(hit)
        rest = re.sub(r"^[\"'“”„‘’»«]?" + re.escape(hit) + r"[\"'“”„‘’»«]?", "", rest, flags=re.IGNORECASE)
        joint = re.match(r"\s*(?:or|and|/)\s*", rest, re.IGNORECASE)
        if not joint:
            break
        rest = rest[joint.end() :]
    return ", ".join(dict.fromkeys(got))


def _press(low: str) -> dict[str, str]:
    """Find temperature, time and pressure: '200 °C, 180 s, 2.5 bar', '390 F', '3 min 10 s', '40 psi'."""
    found = {}
    celsius = re.search(r"\b(1[2-9]\d|2[0-4]\d)\s*(?:°\s*c?|c|degrees?(?:\s*(?:c|celsius))?)(?![\w])", low)
    fahrenheit = re.search(r"\b([34]\d\d)\s*(?:°\s*)?f(?:ahrenheit)?\b", low)
    if celsius:
        found["press_temperature"] = celsius[1]
    elif fahrenheit:
        found["press_temperature"] = str(round((int(fahrenheit[1]) - 32) / 1.8))
    if found or "press" in low:
        seconds = re.search(r"\b(\d{1,3})\s*(?:s|secs?|seconds?|\")(?!\w)", low)
        minutes = re.search(r"\b(\d{1,2}(?:[.,]\d)?)\s*(?:min|mins|minutes?|')(?!\w)\.?", low)
        both = re.search(
            r"\b(\d{1,2})\s*(?:min|mins|minutes?|'|:)\.?\s*(?:and\s+)?(\d{1,2})\s*(?:s|secs?|seconds?|\"|min)", low
        )
        if both:
            found["press_seconds"] = str(int(both[1]) * 60 + int(both[2]))
        elif seconds:
            found["press_seconds"] = seconds[1]
        elif minutes:
            found["press_seconds"] = str(round(float(minutes[1].replace(",", ".")) * 60))
        bar = re.search(r"\b(\d(?:[.,]\d+)?)\s*bar\b", low)
        psi = re.search(r"\b(\d{1,3}(?:[.,]\d+)?)\s*psi\b", low)
        if bar:
            found["press_pressure"] = bar[1].replace(",", ".")
        elif psi:
            found["press_pressure"] = f"{float(psi[1].replace(',', '.')) * _BAR_OF_PSI:.1f}"
    return found


def _trade(low: str) -> dict[str, str]:
    """Find what leaflets say in words of the trade."""
    found = {}
    if "mirror" in low:
        negated = re.search(
            r"\b(not|no|never|don't|do not|without|un)\b[^.;,]{0,20}mirror|mirror\w*[:\s]+(off|no)\b", low
        )
        found["mirroring"] = "no" if negated else "once"
    if re.search(r"\b(intent|render)", low):
        for words, value in (
            ("perceptual", "perceptual"),
            ("saturation", "saturation"),
            ("absolute", "absolute"),
            ("relative", "relative"),
        ):
            if words in low:
                found["intent"] = value
                break
    off = r"(off|none|switched off|disabled|no)"
    if re.search(rf"colou?r (correction|management|adjustment)s?[:\s]+(is |must be |to be )?{off}\b", low) or re.search(
        r"\b(no|without|switch off|turn off)\b[^.;]{0,20}colou?r (correction|management|adjustment)", low
    ):
        found["colour"] = "off"
    match = re.search(r"\b(\d{3,4})\s*(?:x\s*\d{3,4}\s*)?(?:dpi|ppi)\b", low)
    if match:
        found["resolution"] = match[1]
    if re.search(r"\bmatt?e? black\b", low):
        found["black_ink"] = "matt black"
    elif re.search(r"\b(photo|gloss) black\b", low):
        found["black_ink"] = "photo black"
    return found
