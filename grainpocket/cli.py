"""The command line: `python -m grainpocket serve`, and what it is made of."""

from __future__ import annotations

import gc
import json
import logging
import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import click

from grainpocket import launch
from grainpocket.settings import Settings


def _settings(data: str | None = None, port: int | None = None) -> Settings:
    settings = Settings()
    return replace(settings, data=Path(data) if data else settings.data, port=port or settings.port)


_data = click.option("--data", help="Folder that everything is kept in (GRAINPOCKET_DATA, else ./data).")
_port = click.option("--port", type=int, help="Port on 127.0.0.1 (GRAINPOCKET_PORT, else 8000).")


@click.group()
def main() -> None:
    """Grain Pocket: cut samples, put them on pads, rebuild the rhythm."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
    for quiet in ("alembic", "huey", "uvicorn"):
        logging.getLogger(quiet).setLevel(logging.WARNING)


@main.command()
@_data
@_port
def serve(data: str | None, port: int | None) -> None:
    """Run the application: web server and worker."""
    settings = _settings(data, port)
    click.echo(f"Grain Pocket is at http://127.0.0.1:{settings.port}/ (Ctrl-C ends it; everything is kept in {settings.data}).")
    raise SystemExit(launch.run(settings))


@main.command()
@_data
@_port
@click.option("--fresh", is_flag=True, help="Throw an older demo away and make it anew.")
def demo(data: str | None, port: int | None, fresh: bool) -> None:
    """Run the application with the demo pocket in it."""
    settings = _settings(data or os.environ.get("GRAINPOCKET_DATA", ".demo"), port)
    # In a process of its own: what analysis loads is given back before the server starts.
    make = [sys.executable, "-m", "grainpocket", "make-demo", "--data", str(settings.data), *(["--fresh"] if fresh else [])]
    subprocess.run(make, check=True)
    click.echo(f"Grain Pocket is at http://127.0.0.1:{settings.port}/ (Ctrl-C ends it; everything is kept in {settings.data}).")
    raise SystemExit(launch.run(settings))


@main.command()
@_data
@click.option("--fresh", is_flag=True)
def make_demo(data: str | None, fresh: bool) -> None:
    """Make the demo pocket in a data folder, and end."""
    from grainpocket.demo.pocket import make_demo

    make_demo(_settings(data), fresh, click.echo)


@main.command()
@_data
@click.option("--mend", is_flag=True, help="Mend what can be mended; without it nothing is changed.")
def doctor(data: str | None, mend: bool) -> None:
    """Look over a data folder: database, pockets, sounds, leftovers, room and rights. Ends with 1 when something is wrong."""
    from grainpocket.store.doctor import examine

    wrong = 0
    for finding in examine(_settings(data), mend):
        click.echo(f"{'Mended' if finding.mended else 'Wrong'}: {finding.text}")
        wrong += not finding.mended
    click.echo("All is well." if not wrong else f"{wrong} to see to.{'' if mend else ' Some may be mended with --mend.'}")
    raise SystemExit(1 if wrong else 0)


@main.command()
@_data
def tidy(data: str | None) -> None:
    """Thin what is long past: of steps older than 30 days one a minute stays. Tells how large the database was and is."""
    from grainpocket.store.database import Database
    from grainpocket.store.tidying import tidy

    done = tidy(Database(_settings(data).database), shrink=True)
    click.echo(f"{done.before / 1e6:.1f} MB before, {done.after / 1e6:.1f} MB now; {done.revisions} steps of long ago were merged.")


@main.command()
@_data
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
def backup(data: str | None, file: Path) -> None:
    """Write all pockets and sounds to one ZIP file, while the application runs or not."""
    from grainpocket.store.backup import NoBackup, backup

    try:
        click.echo(f"{backup(_settings(data), file)} files are in {file}.")
    except NoBackup as error:
        raise click.ClickException(str(error)) from error


@main.command()
@_data
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
def restore(data: str | None, file: Path) -> None:
    """Unpack a backup into a data folder that holds nothing yet."""
    from grainpocket.store.backup import NoBackup, restore

    try:
        click.echo(f"{restore(_settings(data), file)} files are in {_settings(data).data}.")
    except NoBackup as error:
        raise click.ClickException(str(error)) from error


@main.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
def check_model(file: Path) -> None:
    """Try a separation model and print, as JSON, what it says of itself or why it cannot be used."""
    from grainpocket.core.split.contract import Misfit, checked

    try:
        click.echo(checked(file).model_dump_json())
    except Misfit as error:
        click.echo(json.dumps({"problem": str(error)}))
        raise SystemExit(1) from None


@main.command()
def web() -> None:
    """The web process alone (the launcher runs it)."""
    from grainpocket.web.server import serve

    launch.watch_parent()
    # Threads hand over quickly: a request must not wait 5 ms, Python's default, for another's rendering.
    sys.setswitchinterval(0.0005)
    settings = _settings()
    extra = tuple(int(p) for p in os.environ.get("GRAINPOCKET_DEV_PORTS", "").split(",") if p)
    # What was imported stays for good: the collector need not walk it again in the middle of an edit.
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 50)
    serve(settings, extra)


@main.command()
def worker() -> None:
    """The worker process alone (the launcher runs it)."""
    from grainpocket.jobs.worker import Worker

    launch.watch_parent()
    Worker(_settings()).serve()


@main.command()
def dev() -> None:
    """Run the application and start it again whenever a Python file changes."""
    launch.run_reloading(_settings(), Path(__file__).parent)


@main.command()
@click.argument("target", type=click.Path(dir_okay=False))
def openapi(target: str) -> None:
    """Write the OpenAPI document, from which the TypeScript client is generated."""
    import tempfile

    from grainpocket.web.routes import DESCRIBED

    os.environ[DESCRIBED] = "1"
    from grainpocket.web.app import create_app

    with tempfile.TemporaryDirectory() as folder:
        app = create_app(Settings(data=Path(folder)))
        document = app.api_doc
    Path(target).write_text(json.dumps(document, indent=1, sort_keys=True) + "\n")
