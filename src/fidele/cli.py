"""The command line: the same jobs from a shell. Exit 0 done or passed, 1 checked and failed, 2 bad input."""

from __future__ import annotations

import gc
import importlib
import inspect
import io
import os
import sys
from contextlib import ExitStack
from pathlib import Path
from types import ModuleType
from typing import NoReturn

import click

from fidele.commands.backup import backup, restore
from fidele.commands.bench import bench
from fidele.commands.charts import chart, check, diagnose, scanner
from fidele.commands.colours import losses, nearest
from fidele.commands.common import FILE, places
from fidele.commands.conditions import condition, probe
from fidele.commands.orders import order
from fidele.commands.pictures import convert, proof
from fidele.commands.pieces import piece
from fidele.commands.printers import printer, scan
from fidele.commands.profiles import profile
from fidele.commands.report import report
from fidele.commands.sheets import print_artworks, runs, sheet
from fidele.errors import FideleError
from fidele.files import keep_private
from fidele.language import lend, take_back, tr


def _versions(context: click.Context, _option: click.Parameter, asked: bool) -> None:
    if asked and not context.resilient_parsing:
        from fidele.versions import in_lines

        click.echo(in_lines())
        context.exit()


@click.group(invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]})
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_versions,
    help=tr("Say the versions of Fidele and of its libraries."),
)
@click.pass_context
def cli(context: click.Context) -> None:
    """One conversion, one mirror, true size, and proof of it. Without a command, the window opens."""
    own = places()
    keep_private(own.data, own.state / "written-to")
    if context.invoked_subcommand is None:
        _window([])


@cli.command("open")
@click.argument("files", nargs=-1, type=FILE)
def open_files(files: tuple[Path, ...]) -> None:
    """Open the window with artwork or profiles."""
    _window(list(files))


def _window(files: list[Path]) -> None:
    application = desk_application()
    from fidele.session.places import Places

    sys.exit(application.run_window(Places.of_user(), files))


def desk_application() -> ModuleType:
    """Load all that a window takes: it stays, so it is not looked through for garbage, now or later."""
    gc.disable()
    try:
        return importlib.import_module("fidele.desk.application")
    finally:
        gc.freeze()
        gc.enable()


@cli.command()
@click.option("--headless", is_flag=True, help=tr("Do the whole job without a window."))
@click.option("--out", type=FILE, help=tr("Folder for the results of --headless."))
@click.option("--pictures", type=FILE, help=tr("Write a picture of each view into this folder."))
@click.option(
    "--service/--no-service",
    default=None,
    help=tr("Serve the bench's printers as queues of a print service as well; as a rule where its packages are there."),
)
@click.option("--only-make", is_flag=True, help=tr("Make the demo's workshop where it is not there yet, and end."))
def demo(headless: bool, out: Path | None, pictures: Path | None, service: bool | None, only_make: bool) -> None:
    """Start on the demo data, or do the demo job without a window."""
    if headless:
        from fidele.demo.job import run_demo

        run_demo(out or Path("demo-results"))
        return
    import platformdirs

    run_window = desk_application().run_window
    from fidele.demo.prepare import prepare
    from fidele.desk.pictures import take_pictures

    root = Path(os.environ.get("FIDELE_DEMO") or Path(platformdirs.user_data_dir("fidele")) / "demo")

    def tell(words: str, share: float) -> None:
        click.echo(f"  {share * 100:3.0f} %  {words}", err=True)

    if only_make:
        prepare(root, tell)
        return
    if pictures:
        take_pictures(prepare(root, tell), pictures)
        return
    places, files = prepare(root, tell), [root / "artwork" / "harbour-at-dusk.png"]
    from fidele.devices.bench.serving import can_serve, served_bench, served_devices
    from fidele.devices.registry import devices_here

    if not (can_serve() if service is None else service):
        sys.exit(run_window(places, files))
    with ExitStack() as running:
        try:
            served = running.enter_context(served_bench(places.bench))
        except FideleError as error:
            if service:
                raise
            click.echo(tr("The bench is met without a print service: {error}", error=error), err=True)
            sys.exit(run_window(places, files))
        os.environ |= served.environment
        queues = served_devices(served, places.bench, places.data / "printers")
        sys.exit(run_window(places, files, devices_here(places.devices).joined(queues)))


@cli.group()
def desktop() -> None:
    """Let the file manager open profiles with Fidele: menu entry, icon and file types."""


@desktop.command("install")
def desktop_install() -> None:
    """Write them for this user."""
    from fidele.session.desktop import install as write

    for path in write():
        click.echo(path)


@desktop.command("remove")
def desktop_remove() -> None:
    """Take them away again."""
    from fidele.session.desktop import remove as take_away

    gone = take_away()
    for path in gone:
        click.echo(path)
    if not gone:
        click.echo(tr("There was nothing to take away."), err=True)


for command in (
    bench,
    printer,
    profile,
    condition,
    probe,
    convert,
    proof,
    losses,
    nearest,
    chart,
    check,
    diagnose,
    scanner,
    scan,
    piece,
    sheet,
    print_artworks,
    report,
    runs,
    order,
    backup,
    restore,
):
    cli.add_command(command)


def _in_language(command: click.Command) -> None:
    """Let a command, and those below it, say what it is for in the user's language."""
    command.help = tr(inspect.cleandoc(command.help or ""))
    for one in getattr(command, "commands", {}).values():
        _in_language(one)


_in_language(cli)


def _refuse(sentence: str) -> NoReturn:
    click.echo(tr("fidele: {sentence}", sentence=sentence), err=True)
    sys.exit(2)


def _keep(error: Exception) -> None:
    """Keep what was unforeseen in the log, whole."""
    import logging

    from fidele.logs import keep_log
    from fidele.session.places import Places

    keep_log(Places.of_user().state)
    logging.getLogger("fidele.cli").critical("unforeseen", exc_info=error)


#: A window's exit code that asks for the program to be started anew.
_ANEW = 75


def main() -> None:
    """Run the command line; whatever goes wrong is one sentence on standard error."""
    out = sys.stdout
    lend()
    for stream in (sys.stdout, sys.stderr):  # names of files may be anything
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    try:
        cli(standalone_mode=False)
    except click.exceptions.Exit as done:
        sys.exit(done.exit_code)
    except click.Abort:
        sys.exit(130)
    except click.ClickException as error:
        _refuse(error.format_message())
    except FideleError as error:
        _refuse(str(error))
    except MemoryError:
        _refuse(tr("There is not enough memory for this."))
    except SystemExit as leaving:
        if leaving.code == _ANEW:  # everything that ran beside the window has ended
            take_back()
            os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])
        if sys.stdout is not out:  # click puts another in its place where a pipe was closed, and ends with 1
            sys.exit(0)
        raise leaving
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except Exception as error:
        if os.environ.get("FIDELE_DEBUG"):
            raise
        _keep(error)
        _refuse(
            tr(
                "Something unexpected went wrong ({name}: {error}). It is in the log: fidele report.",
                name=type(error).__name__,
                error=error,
            )
        )


if __name__ == "__main__":
    main()
