"""Bring the translations up to date: `./run translations` collects every phrase and compiles what is translated.

There are two catalogues to a language. The guide's has its paragraphs, and lies beside them; `./run guide` makes pages
of it. The program's phrases are what `tr`, `trn` and `named` are given, the names of desks, what commands say of
themselves, what the library that reads the command line says, and the help's texts. It lies beside the program's other
data, compiled as well, so that it speaks without being built.
"""

from __future__ import annotations

import ast
import datetime
import io
import json
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

ROOT = Path(__file__).parents[2] / "src" / "fidele"
LOCALE = ROOT / "data" / "locale"
GUIDE = Path(__file__).parents[1] / "guide"

Phrase = tuple[str, ...]
#: What stands in a phrase for a value, and what is written alike in every language.
_BRACED = re.compile(r"\{(?:[^{}]|\{\w*\})*\}")
#: What makes a function a command of the shell, whose docstring is its help.
_COMMAND = re.compile(r"\.(command|group)\b")
#: The day that a catalogue says it was made: the same phrases give the same file.
_ALWAYS = datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC)
_EVERYWHERE = {"ΔE", "L", "x", "s", "m", "mm", "ml", "g"}


def _text(node: ast.expr) -> str:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    return ""


def of_module(source: str) -> Iterator[Phrase]:
    """Yield the phrases of a module: (phrase,), or (one, many)."""
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
            if node.func.id in ("tr", "named") and node.args:
                yield from ((_text(a),) for a in node.args)
            elif node.func.id == "trn":
                yield _text(node.args[0]), _text(node.args[1])
        elif isinstance(node, ast.Assign) and ast.unparse(node.targets[0]) == "station":
            yield (_text(node.value),)
        elif isinstance(node, ast.FunctionDef) and any(_COMMAND.search(ast.unparse(d)) for d in node.decorator_list):
            yield (ast.get_docstring(node) or "",)


def of_help() -> Iterator[Phrase]:
    """Yield the phrases of the desks' help and of the glossary."""
    for about in json.loads((ROOT / "data" / "help" / "desks.json").read_text("utf-8")).values():
        yield from ((phrase,) for phrase in (about["for"], *about["steps"]))
    for word, what in json.loads((ROOT / "data" / "help" / "words.json").read_text("utf-8")).items():
        yield (word,)
        yield (what,)


#: What the library that reads the command line says to its user; it asks gettext for it.
OF_THE_SHELL: tuple[Phrase, ...] = (
    ("Aborted!",),
    ("Options",),
    ("Commands",),
    ("Positional arguments",),
    ("Usage:",),
    ("Show this message and exit.",),
    ("Show the version and exit.",),
    ("default: {default}",),
    ("Error: {message}",),
    ("Try '{command} {option}' for help.",),
    ("Invalid value: {message}",),
    ("Invalid value for {param_hint}: {message}",),
    ("Missing command.",),
    ("Missing argument",),
    ("Missing option",),
    ("Missing parameter",),
    ("Missing {param_type}",),
    ("No such option {name!r}.",),
    ("No such command {name!r}.",),
    ("Did you mean {possibility}?", "(Did you mean one of: {possibilities}?)"),
    ("Got unexpected extra argument ({args})", "Got unexpected extra arguments ({args})"),
    ("Option {name!r} does not take a value.",),
    ("Option {name!r} requires an argument.", "Option {name!r} requires {nargs} arguments."),
    ("{value!r} is not {choice}.", "{value!r} is not one of {choices}."),
    ("{value!r} is not a valid {number_type}.",),
    ("{value} is not in the range {range}.",),
    ("Could not open file {filename!r}: {message}",),
    ("unknown error",),
    ("file",),
    ("directory",),
    ("path",),
    ("{name} {filename!r} does not exist.",),
    ("{name} {filename!r} is a file.",),
    ("{name} {filename!r} is a directory.",),
    ("{name} {filename!r} is not readable.",),
    ("{name} {filename!r} is not writable.",),
)


def collected() -> dict[Phrase, str]:
    """Return every phrase that the program can say, with the module where it is said first."""
    found: dict[Phrase, str] = {}
    for path in sorted(ROOT.rglob("*.py")):
        for phrase in of_module(path.read_text("utf-8")):
            if set(re.findall(r"[^\W\d_]+", _BRACED.sub("", phrase[0]))) - _EVERYWHERE:
                found.setdefault(phrase, str(path.relative_to(ROOT)))
    for phrase in of_help():
        found.setdefault(phrase, "data/help")
    for phrase in OF_THE_SHELL:
        found.setdefault(phrase, "the shell")
    return found


def of_guide() -> dict[Phrase, str]:
    """Return every paragraph of the guide, with its chapter; the words' explanations are the program's own."""
    with tempfile.TemporaryDirectory() as made:
        asked = ["-q", "-b", "gettext", str(GUIDE), made]
        subprocess.run([sys.executable, "-m", "sphinx", *asked], check=True)
        with (Path(made) / "guide.pot").open("rb") as file:
            found = {(m.id,): Path(m.locations[0][0]).name for m in read_po(file) if m.id}
    return {phrase: chapter for phrase, chapter in found.items() if chapter != "words.rst"}


def program_po(language: str) -> Path:
    """Return where the program's catalogue of a language lies."""
    return LOCALE / language / "LC_MESSAGES" / "fidele.po"


def guide_po(language: str) -> Path:
    """Return where the guide's catalogue of a language lies."""
    return GUIDE / "locale" / language / "LC_MESSAGES" / "guide.po"


def catalogue(path: Path) -> Catalog:
    """Return what is translated; it lies in a folder by the language's name."""
    with path.open("rb") as file:
        return read_po(file, locale=path.parents[1].name)


def renewed(path: Path, phrases: dict[Phrase, str]) -> Catalog:
    """Return a catalogue of exactly these phrases, with what is translated already."""
    language = path.parents[1].name
    old = {m.id if isinstance(m.id, tuple) else (m.id,): m.string for m in catalogue(path) if m.id}
    new = Catalog(language, project="Fidele", charset="utf-8", fuzzy=False)
    new._num_plurals, new._plural_expr = 2, "(n != 1)"  # one and many, in all that Fidele speaks
    new.header_comment = f"# Fidele in '{language}'. Under the same licence as the program."
    for phrase, where in sorted(phrases.items(), key=lambda p: (p[1], p[0])):
        ident = phrase if len(phrase) > 1 else phrase[0]
        new.add(ident, old.get(phrase) or ("" if len(phrase) == 1 else ("", "")), locations=[(where, 0)])
    return new


def written(made: Catalog) -> bytes:
    """Return a catalogue as it is kept: without dates, so that the same phrases give the same file."""
    file = io.BytesIO()
    write_po(file, made, width=110, include_lineno=False, omit_header=False)
    text = re.sub(
        r'^"(POT-Creation-Date|PO-Revision-Date|Generated-By|Last-Translator|Language-Team|Report)[^\n]*\n',
        "",
        file.getvalue().decode("utf-8"),
        flags=re.MULTILINE,
    )
    return text.encode()


def compiled(made: Catalog) -> bytes:
    """Return a catalogue as gettext reads it."""
    file = io.BytesIO()
    kept = read_po(io.BytesIO(written(made)), locale=made.locale)
    kept.creation_date = kept.revision_date = _ALWAYS
    write_mo(file, kept)
    return file.getvalue()


def main() -> None:
    """Bring every catalogue up to date, and say what is missing."""
    phrases, paragraphs = collected(), of_guide()
    for language in sorted(p.name for p in LOCALE.iterdir() if p.is_dir()):
        for path, known in ((program_po(language), phrases), (guide_po(language), paragraphs)):
            made = renewed(path, known)
            path.write_bytes(written(made))
            if path.is_relative_to(LOCALE):
                path.with_suffix(".mo").write_bytes(compiled(made))
            missing = [m.id for m in made if m.id and not all(m.string if isinstance(m.string, tuple) else (m.string,))]
            print(f"{path.stem}, {language}: {len(known)} phrases, {len(missing)} not translated")
            for ident in missing:
                print(f"  {ident if isinstance(ident, str) else ident[0]}")


if __name__ == "__main__":
    main()
