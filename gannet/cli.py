"""The `gannet` command."""

import argparse
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; the settings come from DJANGO_SETTINGS_MODULE (default: production)."""
    parser = argparse.ArgumentParser(prog="gannet", description="The Gannet service desk")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, (about, arguments, _) in COMMANDS.items():
        sub = commands.add_parser(name, help=about, description=about)
        for flags, options in arguments:
            sub.add_argument(*flags, **options)
    given, rest = parser.parse_known_args(argv)
    if rest and given.command != "manage":
        parser.error(f"unknown argument {rest[0]}")
    if given.command == "compute":
        return _compute(given, rest)
    default = "gannet.settings.demo" if given.command == "demo" else "gannet.settings.production"
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", default)
    import django

    django.setup()
    return COMMANDS[given.command][2](given, rest)


def _compute(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet_core.__main__ import main as answer_cases

    answer_cases()
    return 0


def _serve(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.serving import serve

    return serve(given.host, given.port, with_worker=given.with_worker, processes=given.processes)


def _work(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.serving import work_until_stopped

    return work_until_stopped(beside_server=given.beside_server)


def _demo(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.demo.command import demo

    return demo(
        given.host,
        given.port,
        keep=given.keep,
        only_data=given.only_data,
        processes=given.processes,
    )


def _verify(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.audit.heads import check_heads, load_public_key
    from gannet.audit.log import verify
    from gannet_core.instants import instant_of

    held, broken = verify()
    if broken is not None:
        print(f"The chain breaks at event {broken.event_id}: {broken.because}.", file=sys.stderr)
        return 1
    print(f"The chain holds: {held} events, none changed, none missing.")
    lines = Path(given.heads).read_bytes().splitlines() if given.heads else None
    found = check_heads(lines, load_public_key(Path(given.key)) if given.key else None)
    if found.problem:
        print(f"The history was written anew: {found.problem}.", file=sys.stderr)
        return 1
    if found.last_s is None:
        print("No head has been signed yet: the worker signs one each hour.")
        return 0
    last = f"{instant_of(found.last_s):%d %B %Y %H:%M} UTC"
    print(f"It meets {found.met} signed heads, the last of {last}.")
    if found.passed_over:
        print(f"{found.passed_over} heads are of events that a restore has put aside.")
    return 0


def _backup(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.audit.backup import BackupError, backup

    try:
        print(backup(given.file))
    except BackupError as error:
        print(error, file=sys.stderr)
        return 1
    return 0


def _restore(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.audit.backup import BackupError
    from gannet.audit.restoring import check, restore

    try:
        print(check(given.file) if given.check else restore(given.file))
    except BackupError as error:
        print(error, file=sys.stderr)
        return 1
    return 0


def _heads(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.audit.heads import heads_file, public_key_text

    if given.public_key:
        print(public_key_text(), end="")
    elif heads_file().is_file():
        print(heads_file().read_text(), end="")
    return 0


def _alerts(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.demo.monitoring import simulate

    token = os.environ.get("GANNET_TOKEN", "")
    if not token:
        print("Make a token that may send alerts, and put it into GANNET_TOKEN.")
        return 2
    simulate(given.at.rstrip("/"), token, given.scene, given.items)
    return 0


def _scan(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.services.scans import files_in, scan_file
    from gannet.web.errors import Problem

    path, code = Path(given.path), 0
    if not path.exists():
        print(f"There is no {path}.", file=sys.stderr)
        return 1
    for file in files_in(path):
        try:
            done = scan_file(file)
        except (Problem, OSError) as error:
            print(error, file=sys.stderr)
            code = 1
            continue
        print(
            f"{file.name}: {done.matched} matched, {done.drifted} otherwise than recorded, "
            f"{done.unrecorded} not recorded."
        )
        for wrong in done.errors[:20]:
            print(f"  {wrong}", file=sys.stderr)
        if len(done.errors) > 20:
            print(f"  and {len(done.errors) - 20} more", file=sys.stderr)
    return code


def _inventory(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from gannet.demo.estate import write_inventory

    print(f"{write_inventory(Path(given.file))} things written to {given.file}.")
    return 0


def _manage(given: argparse.Namespace, rest: Sequence[str]) -> int:
    from django.core.management import execute_from_command_line

    execute_from_command_line(["gannet manage", *rest])
    return 0


_ADDRESS = [
    (("--host",), {"default": "127.0.0.1"}),
    (("--port",), {"type": int, "default": int(os.environ.get("GANNET_PORT", "8000"))}),
]
_PROCESSES: tuple[tuple[str, ...], dict[str, object]] = (
    ("--processes",),
    {
        "type": int,
        "choices": range(1, 17),
        "metavar": "N",
        "default": int(os.environ.get("GANNET_PROCESSES", "1")),
        "help": "so many processes answer (GANNET_PROCESSES); as many as there are cores",
    },
)
_Command = tuple[str, list, Callable[[argparse.Namespace, Sequence[str]], int]]  # type: ignore[type-arg]
COMMANDS: dict[str, _Command] = {
    "serve": (
        "serve the interface and the API",
        [*_ADDRESS, _PROCESSES, (("--with-worker",), {"action": "store_true"})],
        _serve,
    ),
    "work": (
        "fire timers, send and read mail",
        [(("--beside-server",), {"action": "store_true", "help": "end when the server ends"})],
        _work,
    ),
    "demo": (
        "make the demo data if need be, serve and work",
        [
            *_ADDRESS,
            _PROCESSES,
            (("--keep",), {"action": "store_true", "help": "keep data older than a day"}),
            (("--only-data",), {"action": "store_true", "help": "make the data and stop"}),
        ],
        _demo,
    ),
    "verify": (
        "check the chain of the event log and its signed heads",
        [
            (("--heads",), {"help": "a copy of the heads, kept elsewhere"}),
            (("--key",), {"help": "the public key to check it with"}),
        ],
        _verify,
    ),
    "heads": (
        "print the signed heads of the event log",
        [(("--public-key",), {"action": "store_true", "help": "print the public key instead"})],
        _heads,
    ),
    "backup": (
        "copy database and files while running",
        [(("file",), {"help": "a new folder, or a file that ends in .tar"})],
        _backup,
    ),
    "restore": (
        "put a proved backup in place",
        [
            (("file",), {"help": "the folder or file of the backup"}),
            (("--check",), {"action": "store_true", "help": "prove it and change nothing"}),
        ],
        _restore,
    ),
    "compute": ("answer cases of the core on standard input", [], _compute),
    "alerts": (
        "send alerts as a monitoring system would",
        [
            (("scene",), {"choices": ["one", "repeat", "storm", "calm"]}),
            (("items",), {"nargs": "+", "help": "names or keys of configuration items"}),
            (("--at",), {"default": "http://localhost:8000", "help": "where Gannet is"}),
        ],
        _alerts,
    ),
    "scan": (
        "note what a scan has seen of the estate",
        [(("path",), {"help": "a JSON inventory file, or a folder of them"})],
        _scan,
    ),
    "inventory": (
        "write the inventory file that the demo's scanner would",
        [(("file",), {"help": "a new file"})],
        _inventory,
    ),
    "manage": ("Django's own commands", [], _manage),
}

if __name__ == "__main__":
    sys.exit(main())
