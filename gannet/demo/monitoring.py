"""A monitoring system that is none: sends alerts to the API, so that all of it can be tried."""

import json
import random
import time
import urllib.request
from collections.abc import Iterator

_FAULTS = (
    ("disk", "Disk nearly full on {item}"),
    ("ping", "{item} does not answer"),
    ("load", "{item} is slow"),
    ("cert", "Certificate of {item} runs out"),
)


def signals(scene: str, items: list[str], rng: random.Random) -> Iterator[dict[str, str]]:
    """What is sent in a scene: one fault, its repeats, a storm, or recovery of all."""
    chosen = items if scene == "storm" else items[:1]
    for item in chosen:
        kind, words = rng.choice(_FAULTS) if scene == "storm" else _FAULTS[1]
        signal = {"key": f"{kind}:{item}", "title": words.format(item=item), "ci": item}
        state = "recovered" if scene == "calm" else "firing"
        yield {**signal, "state": state}
        if scene == "repeat":
            yield from ({**signal, "state": "firing"} for _ in range(4))


def simulate(address: str, token: str, scene: str, items: list[str], pause_s: float = 0.2) -> int:
    """Send a scene; prints what became of each alert. Returns how many were taken."""
    taken = 0
    for signal in signals(scene, items, random.Random(7)):
        request = urllib.request.Request(  # noqa: S310 - the address is given by hand
            f"{address}/api/alerts",
            data=json.dumps(signal).encode(),
            headers={"Content-Type": "application/json", "Authorization": f"Bearer {token}"},
        )
        with urllib.request.urlopen(request, timeout=20) as answer:  # noqa: S310
            print(f"{signal['title']}: {json.load(answer)['did']}")
        taken += 1
        time.sleep(pause_s)
    return taken
