"""`make screenshots`: one picture of each main view, from fresh demo data."""

import base64
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))
OUT = ROOT / "docs" / "screenshots"

# name, who, path, what must be on it, width, height. {link} is a ticket of the story.
VIEWS = [
    ("services", "Signe", "/desk/services/map?node={item}", "lose something", 1280, 800),
    ("problems", "Signe", "/desk/problems", "Open problems", 1280, 800),
    ("problem", "Joss", "/desk/tickets/{problem}", "What causes it", 1280, 800),
    ("lookout", "Signe", "/desk/lookout?open={link}", "of service time", 1280, 800),
    ("queue", "Signe", "/desk/queue", "shown", 1280, 800),
    ("record", "Signe", "/desk/tickets/{link}", "Details", 1280, 800),
    ("room", "Marit", "/desk/rooms/{major}", "Say to responders", 1280, 800),
    ("log", "Signe", "/desk/lookout?log=", "Log an incident", 1280, 800),
    ("reports", "Tomas", "/desk/reports", "drawn as", 1280, 800),
    ("changes", "Marit", "/desk/changes", "To the CAB", 1280, 800),
    ("change", "Marit", "/desk/tickets/{change}", "What it reaches", 1280, 800),
    ("portal", "Ines", "/", "My requests", 1280, 800),
    ("portal-report-phone", "Ines", "/report", "Who is affected?", 390, 844),
    ("portal-ticket", "Ines", "/my/{link}", "has it", 1280, 800),
    ("dashboard", "Marit", "/desk/dashboards", "likely to be missed by", 1280, 800),
    ("knowledge", "Marit", "/desk/articles?room=upkeep", "Articles that want a hand", 1280, 800),
    ("requests", "Signe", "/desk/requests?team=all", "Waiting for approval", 1280, 800),
    ("rulebook", "Anneke", "/desk/rulebook/items", "would be due earlier", 1280, 800),
    ("cab", "Marit", "/desk/changes/cab", "the riskiest first", 1280, 800),
]
# A draft with a shorter target, replayed, so that there is something to see.
DRAFT = """
import copy, django
django.setup()
from django.utils import timezone
from gannet.people.models import Person
from gannet.jobs import running as jobs
from gannet.trials import drafts
from gannet.jobs.models import JobKind
from gannet_core import rulebook
anneke, now = Person.objects.get(name="Anneke Dray"), timezone.now()
before = rulebook.entry(drafts.begin(anneke, now).document, "agreements", "sailing-critical")
after = copy.deepcopy(before)
after["targets"]["2"]["fix"] = 3 * 3600
change = drafts.Change(section="agreements", key="sailing-critical", before=before, after=after)
drafts.edit(anneke, change, now)
jobs.run_job.func(jobs.start(anneke, JobKind.REPLAY, {"days": 90}, now).pk)
"""


def main() -> int:
    from selenium.webdriver.common.keys import Keys

    from tests.browser.driver import Screen

    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        port, mail_port = _free_port(), _free_port()
        environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "tests.browser_settings",
            "GANNET_TEST_FOLDER": folder,
            "GANNET_PORT": str(port),
            "GANNET_MAIL_PORT": str(mail_port),
        }
        fill = (
            "import django; django.setup(); from django.core.management import call_command as c; "
            "c('migrate', verbosity=0); from gannet.demo.command import fill, Progress, SEED; "
            "fill(Progress(), tickets=12000, seed=SEED)"
        )
        subprocess.run([sys.executable, "-c", fill], env=environment, cwd=ROOT, check=True)
        find = (
            "import django; django.setup(); from gannet.tickets.models import Ticket; "
            "print(Ticket.objects.get(title__startswith='Ship-to-shore link drops near Farrow "
            "Sound', is_open=1, channel='e-mail', holder__name='Joss Levering').pk)"
        )
        node = (
            "import django; django.setup(); from gannet.estate.models import ConfigItem; "
            "print('item-%d' % ConfigItem.objects.get(key='database-2').pk)"
        )
        cause = (
            "import django; django.setup(); from gannet.tickets.models import Ticket; "
            "print(Ticket.objects.get(kind='problem', title__startswith='The ship-to-shore').pk)"
        )
        change = (
            "import django; django.setup(); from gannet.tickets.models import Ticket; "
            "print(Ticket.objects.get(kind='change', title__startswith='Gate control to').pk)"
        )
        room = (
            "import django; django.setup(); from gannet.majors.models import MajorFacts; "
            "print(MajorFacts.objects.get(stood_down_s=None).pk)"
        )
        codes = (find, node, cause, change, room)
        link, item, problem, planned, major = (_said(code, environment) for code in codes)
        subprocess.run([sys.executable, "-c", DRAFT], env=environment, cwd=ROOT, check=True)
        server = subprocess.Popen(
            [sys.executable, "-m", "gannet", "serve", "--with-worker", "--port", str(port)],
            env=environment, cwd=ROOT,
        )  # fmt: skip
        try:
            _wait(f"http://localhost:{port}/api/session")
            time.sleep(6)  # for the first mail to have left
            screens: dict[str, Screen] = {}
            for name, who, path, words, width, height in VIEWS:
                if who not in screens:
                    screens[who] = Screen(f"http://localhost:{port}")
                    if who:
                        screens[who].sign_in(who)
                screen = screens[who]
                screen.resize(width, height)
                numbers = {"link": link, "item": item, "problem": problem, "major": major}
                screen.open(_filled(path, **numbers, change=planned))
                # What stands in a field is no text of the page.
                if name == "room":
                    screen.find("Say")
                    words = "Timeline"
                screen.see(words if words != "of service time" else "left to")
                if name == "log":
                    screen.key("Owen Setch")
                    screen.until(
                        "he is found", lambda screen=screen: "Owen" in screen.first_offered()
                    )
                    screen.key(Keys.ENTER, Keys.TAB, "Gate 3 rejects every barcode")
                    screen.choose("Service", "Boarding gates")
                    screen.press("A ship, a terminal or passengers")
                    screen.press("Yes, with difficulty")
                    screen.see("Likely duplicates")
                if name == "portal":
                    screen.fill("What do you need", "the gate will not read tickets")
                    screen.see("Report a problem with Boarding gates")
                time.sleep(0.8)
                picture = screen.driver.execute_cdp_cmd("Page.captureScreenshot", {})["data"]
                (OUT / f"{name}.png").write_bytes(base64.b64decode(picture))
                print(f"docs/screenshots/{name}.png")
            for screen in screens.values():
                screen.close()
        finally:
            server.terminate()
            server.wait(timeout=30)
    return 0


def _filled(path: str, **numbers: str) -> str:
    for name, number in numbers.items():
        path = path.replace(f"{{{name}}}", number)
    return path


def _said(code: str, environment: dict[str, str]) -> str:
    """What some code prints."""
    command = [sys.executable, "-c", code]
    done = subprocess.run(command, env=environment, cwd=ROOT, check=True, capture_output=True)
    return done.stdout.decode().strip()


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _wait(url: str) -> None:
    for _ in range(200):
        try:
            urllib.request.urlopen(url, timeout=5)  # noqa: S310
            return
        except OSError:
            time.sleep(0.2)
    raise SystemExit("The server did not start.")


if __name__ == "__main__":
    sys.exit(main())
