"""Fidele in other languages: catalogues that are whole, every desk said in them, nothing cut, numbers as they write."""

from __future__ import annotations

import ast
import importlib.util
import json
import os
import re
import string
import subprocess
import sys
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import click
import pytest
from babel.messages.extract import extract_from_dir

from tests.shell import FIDELE

ROOT = Path(__file__).parents[1]
#: What stays as it is: names of the invented world, words of its machines and drivers, formats, keys.
_NAMES = re.compile(
    r"^(?:[A-Z]\w+ [A-Z]\w+|Press|Print system), [\w ›]+: .*|^(?:Press|Print system), |^off$|^there$"
    r"|(?:Velm )?Dull heavy|House-num\S*(?: tiles)?"
    r"|(?:Velm|Skarn|Orrin|Fen|Tarn) (?:(?!ceramic)[a-zA-Z]+)(?: \d+)?|^Fen \d+ on [a-z ]+$"
    r"|[Cc]eramic tile|coated slate|polyester cloth|cotton|[Cc]oaster 100, round|[Tt]ile \d+|mug \d+|Pennant"
    r"|Skerry Sketch|Bench [SP]1|Fidele|Control chart|signal-flags|lantern-parade|Gallery rag|Blend|Stock|Passes|Format"
    r"|(?:Fen|Tarn|Velm|Skarn|Orrin)\b|ink load \d+%|passes|stock|format|(?:into the|over the) \w+"
    r"|Turn|Fit|Light|Strength|Warmth|Polish|Carriage|Untouched|Everyday|Glint|Board|(?:Inks|Feed|Menu) › [\w ›]+"
    r"|For the |(?:Hold|Ink) › [\w ›]+|Paper laid in|Reel aboard|fill the leaf|heeded|liking|\bback$|\bdrawer$|cer…$"
    r"|Zip with profiles for .*|Mail with one .*|Names printer .*|; the file on their server is broken|, or lab:[\d,-]+"
    r"|[\w .,/-]*\.(?:icc|zip|eml|png|tif|pdf|csv)|/[\w/.-]+|\{name\}|\b[0-9a-f]{8}\b|#[0-9a-f]{6}"
    r"|sRGB|opRGB|CMYK|RGB|CGATS|IEC|Lab|ICC|TIFF|JPEG|PNG|PDF|SVG|WebP|CSV|CxF|JSON|bar|ppi|Ctrl|Shift|Alt|Tab|Esc"
)


@cache
def _build():
    """Return what collects and compiles; what it collects from all sources is collected once."""
    spec = importlib.util.spec_from_file_location("build", ROOT / "docs" / "locale" / "build.py")
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    made.collected, made.of_guide = cache(made.collected), cache(made.of_guide)
    return made


def _fields(text: str) -> set[str]:
    return {name for _, name, _, _ in string.Formatter().parse(text) if name is not None}


@pytest.mark.parametrize("spoken", ["de", "es"])
def test_every_phrase_is_translated_with_its_values_and_compiled(spoken):
    build = _build()
    phrases, kept = build.collected(), build.catalogue(build.program_po(spoken))
    known = {m.id if isinstance(m.id, tuple) else (m.id,): m for m in kept if m.id}
    assert set(known) == set(phrases), "./run translations collects them anew"
    for phrase, message in known.items():
        said = message.string if isinstance(message.string, tuple) else (message.string,)
        assert all(said), f"{phrase} is not translated"
        for one in said:
            assert _fields(one) <= set().union(*map(_fields, phrase)), (phrase, one)
            if len(said) == 1:
                assert _fields(one) == _fields(phrase[0]), (phrase, one)
            assert (one[:1] == " ", one[-1:] == " ") == (phrase[0][:1] == " ", phrase[0][-1:] == " "), (phrase, one)
    compiled = (build.LOCALE / spoken / "LC_MESSAGES" / "fidele.mo").read_bytes()
    assert compiled == build.compiled(kept), "./run translations compiles them"


def _shown(phrase: str) -> str:
    """Return a phrase as the screen has it but for values, and for the number of a section."""
    return re.sub(r"\{\w+\}", "…", re.sub(r"^\d  ", "", phrase))


def _italics(paragraph: str) -> list[str]:
    return re.findall(r"(?<!\*)\*([^*]+)\*(?!\*)", paragraph)


@pytest.mark.parametrize("spoken", ["en", "de", "es"])
def test_the_guide_is_whole_and_names_what_is_on_the_screen(spoken):
    """What it sets in italics is said by the program in these very words, in the language of the guide."""
    build = _build()
    paragraphs = [phrase for (phrase,) in build.of_guide()]
    program = {_shown(phrase): _shown(phrase) for parts in build.collected() for phrase in parts}
    kept = {paragraph: paragraph for paragraph in paragraphs}
    if spoken != "en":
        kept = {m.id: m.string for m in build.catalogue(build.guide_po(spoken)) if m.id}
        assert set(kept) == set(paragraphs), "./run translations collects them anew"
        for message in build.catalogue(build.program_po(spoken)):
            parts = [(x,) if isinstance(x, str) else x for x in (message.id, message.string)]
            program |= {_shown(phrase): _shown(there) for phrase, there in zip(*parts, strict=True)}
    program["Use for the scanner"] = program["Use for the …"].replace("…", program["scanner"])
    named = 0
    for paragraph in paragraphs:
        assert kept[paragraph], f"not translated: {paragraph}"
        for name in _italics(paragraph):
            if name in ("job", "your", "Tern Harbour Lights", "Skerry Sketch"):
                continue
            assert name in program, f"the guide names “{name}”, which is nowhere in the program"
            assert program[name] in _italics(kept[paragraph]), (name, program[name])
            named += 1
    assert named > 50


def _walked(spoken: str, workshop: Path, size: tuple[int, int] = (1024, 700), scale: int = 1) -> dict:
    run = subprocess.run(
        [sys.executable, "-m", "tests.speaking", spoken, str(workshop), *map(str, size)],
        env=os.environ | {"QT_SCALE_FACTOR": str(scale), "LOGNAME": "ab"},
        cwd=ROOT,
        capture_output=True,
        timeout=300,
        check=False,
    )
    assert run.returncode == 0, run.stderr.decode()[-3000:]
    return json.loads(run.stdout.decode().splitlines()[-1])


def test_the_shell_speaks_it_as_well():
    """Words of the library that reads the command line, and nothing that it does not say."""
    said = {
        m for _, _, m, *_ in extract_from_dir(Path(click.__file__).parent, keywords={"_": None, "ngettext": (1, 2)})
    }
    assert {p if len(p) > 1 else p[0] for p in _build().OF_THE_SHELL} <= said
    for language, words in (("de", "Den Befehl 'frobnicate' gibt es nicht."), ("es", "No existe la orden")):
        env = os.environ | {"FIDELE_LANGUAGE": language}
        run = subprocess.run([FIDELE, "frobnicate"], env=env, capture_output=True, text=True, check=False)
        assert run.returncode == 2
        assert words in run.stderr


def test_nothing_that_a_desk_says_is_kept_from_the_catalogues(places):
    found = _walked("xx", places.data)["latin"]
    unsaid = [t for t in found if re.search(r"[A-Za-z]{3,}", _NAMES.sub("", t))]
    assert unsaid == []


def test_no_sentence_is_said_past_the_catalogues():
    """What is shown, raised or told is whole phrases: none is put together of words that no catalogue knows."""
    asked = {"tr", "trn", "named", "filled"}
    said_by = {"FideleError", "say", "warn", "tell", "run", "label", "line", "button", "heading", "section", "setText"}

    def words_of(node: ast.AST) -> Iterator[str]:
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") in asked:
            return
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            yield node.value
        for part in ast.iter_child_nodes(node):
            if not isinstance(part, ast.Call) or getattr(part.func, "id", "") in asked:
                yield from words_of(part)

    past = [
        f"{path.relative_to(ROOT)}:{node.lineno}: {words}"
        for path in (ROOT / "src").rglob("*.py")
        if path.name != "pictures.py"  # which fills the demo in
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Call) and node.args
        if getattr(node.func, "id", getattr(node.func, "attr", "")) in said_by
        for words in words_of(node.args[0])
        if re.search(r"[A-Za-z]{3,} [A-Za-z]|^[A-Z][a-z]{3,}", words)
    ]
    assert past == []
    marks = [
        f"{path.relative_to(ROOT)}:{node.lineno}"
        for path in (ROOT / "src").rglob("*.py")
        if path.name != "leaflet.py"  # which looks for them in what others wrote
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.JoinedStr)
        if re.search("[“”]", "".join(p.value for p in node.values if isinstance(p, ast.Constant)))
    ]
    assert marks == [], "names are put between the marks of a language by `quoted`"


def test_nothing_is_decided_by_what_a_sentence_says():
    """A sentence reads otherwise in every language: what looks for words in one works in English alone."""
    phrases = [phrase for one in _build().collected() for phrase in one]
    asked = {"startswith", "endswith", "removeprefix", "removesuffix", "partition", "replace", "find", "index"}
    elsewhere = {"light ", "does not exist"}  # names of inks, and what the system's colour daemon says

    def looked_for(node: ast.AST) -> ast.AST | None:
        if isinstance(node, ast.Compare) and isinstance(node.ops[0], ast.In | ast.NotIn):
            return node.left
        calls = isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in asked
        return node.args[0] if calls and node.args else None

    def in_words(node: ast.AST) -> bool:
        where = node.comparators[0] if isinstance(node, ast.Compare) else node.func.value
        return isinstance(where, ast.Attribute) and where.attr in {"words", "sentence", "headline", "why", "remedy"}

    words = [
        f"{path.relative_to(ROOT)}:{node.lineno}: {said.value}"
        for path in (ROOT / "src" / "fidele").rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(said := looked_for(node), ast.Constant) and isinstance(said.value, str)
        if (" " in said.value and said.value not in elsewhere) or in_words(node)
        if re.search(r"[a-z]{2}", said.value) and any(said.value in phrase for phrase in phrases)
    ]
    assert words == []


@pytest.mark.parametrize(("spoken", "size", "scale"), [("de", (1024, 700), 1), ("es", (1920, 1080), 2)])
def test_longer_words_are_not_cut_and_numbers_have_a_comma(places, spoken, size, scale):
    found = _walked(spoken, places.data, size, scale)
    assert found["cut"] == {}
    assert found["number"] == "12,5 x 1234,5 mm"
    assert found["points"] == [], "numbers are written as the language does"
