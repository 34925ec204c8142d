"""The words of the interface: where the trade has a word, ours is not used in its place.

Looked through are the texts that people see: what the front end's sources say, what the
server and the demo's mails say, and the guides. Names in the code may still say the old
word; they are quoted alone, so a text of the very same words has to be a name to pass.
"""

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]

# What is not said any more, with what is (product.md, “Labels”).
REPLACED = {
    r"held by": "assignee",
    r"nobody(['’]|&apos;)s": "unassigned",
    r"first act": "team response",
    r"our move": "waiting for us",
    r"in hand": "in progress",
    r"tak(e|en) (it )?up again": "resume",
    r"promises? kept": "SLA results",
    r"late from next opening": "overdue when hours resume",
    r"told next": "next escalation",
    r"more facts": "more details",
    r"take(n)? (it |them )?away": "remove",
    r"keep (it|this as)": "save",
    r"not now": "cancel",
    r"leave out": "remove",
    r"seen to": "mark as read",
    r"cancel it": "withdraw",
    r"not for us": "reject as not ours",
    r"goes on as": "merged into",
    r"merge into it": "merge into this",
    r"handed about": "reassigned often",
    r"ready words": "phrases, hints, routines",
    r"what i am told": "notification settings",
    r"who is there": "shifts and absences",
    r"set aside": "excluded from assignment",
    r"(night|day) colours": "dark theme",
    r"ask(s|ed)? back": "ask a question",
    r"pass(ed)? (it )?on": "forward",
    r"to decide|who(ever)? decides": "approver",
    r"nobody need decide|may go ahead": "no approval needed",
    r"may help": "suggestions",
    r"finds its person": "assigned by",
    r"my things": "my requests",
    r"happening now": "known issues",
    r"(this )?hits me too": "this affects me too",
    r"something is wrong with": "report a problem with",
    r"what does it belong to": "which service",
    r"who is stopped by": "who is affected",
    r"ask for it": "request it",
    r"budget line": "cost centre",
    r"look again at": "please correct",
    r"at most 10 mb fit": "files up to 10 MB",
    r"to mend": "to fix",
    r"answered for by": "owner",
    r"asked for it alone": "asked on this item",
    # Sentences that only their writer understood.
    r"is open is yes": "open",
    r"is nobody or nothing": "unassigned",
    r"do it to \d|do it to \$\{": "the act's name",
    r"untouched untouched": "not worked on for",
    r"but it is nothing": "what it is instead",
    r"kept aside": "quarantined",
}
# Names in the code; a text is one of these only if it is nothing else.
NAMES = {
    "not for us", "set aside", "asked back", "ask back", "pass on", "passed on", "taken away",
    "nobody's", "to decide",
}  # fmt: skip
# Whole sentences in which the words mean what they say anywhere.
MEANT = (
    "it goes on as soon as",  # of the line that was cut
    "a message was set aside: %s",  # of the log of the server
)
WORDS = re.compile("|".join(rf"\b{pattern}\b" for pattern in REPLACED), re.IGNORECASE)


def of_typescript(path: Path) -> Iterator[tuple[int, str]]:
    text = re.sub(
        r"/\*.*?\*/", lambda found: "\n" * found[0].count("\n"), path.read_text(), flags=re.S
    )
    for number, line in enumerate(text.splitlines(), 1):
        plain = re.sub(r"(^|\s)//.*", "", line)
        yield (
            number,
            re.sub(r'"([^"]*)"', lambda found: "" if found[1] in NAMES else found[0], plain),
        )


def of_python(path: Path) -> Iterator[tuple[int, str]]:
    tree = ast.parse(path.read_text())
    told = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.FunctionDef | ast.ClassDef)
        and node.body and isinstance(node.body[0], ast.Expr)
    }  # fmt: skip
    for node in ast.walk(tree):
        is_text = isinstance(node, ast.Constant) and isinstance(node.value, str)
        if is_text and id(node) not in told and node.value not in NAMES:
            yield node.lineno, node.value


def of_guide(path: Path) -> Iterator[tuple[int, str]]:
    yield from over_line_ends(path.read_text().splitlines())


def over_line_ends(lines: list[str]) -> Iterator[tuple[int, str]]:
    """Each line with the one after it: a phrase may be broken between them."""
    for number, (line, following) in enumerate(zip(lines, [*lines[1:], ""], strict=True), 1):
        yield number, f"{line.rstrip()} {following.strip()}"


def texts() -> Iterator[tuple[Path, int, str]]:
    front = ROOT / "frontend" / "src"
    for path in sorted([*front.rglob("*.tsx"), *front.rglob("*.ts")]):
        if path.name != "schema.d.ts":
            yield from ((path, *found) for found in of_typescript(path))
    for path in sorted([*(ROOT / "gannet").rglob("*.py"), *(ROOT / "gannet_core").rglob("*.py")]):
        # What synonyms are sought by is what people used to say; a frozen dictionary is no text.
        if "migrations" not in path.parts and path.name not in ("field_words.py", "columns.py"):
            yield from ((path, *found) for found in of_python(path))
    for name in ("user-guide.md", "administrator-guide.md"):
        yield from ((ROOT / "docs" / name, *found) for found in of_guide(ROOT / "docs" / name))


def test_the_interface_says_the_trades_words() -> None:
    wrong = [
        f"{path.relative_to(ROOT)}:{number}: {found[0]!r} in {text.strip()[:100]!r}"
        for path, number, text in texts()
        for found in WORDS.finditer(text)
        if not any(sentence in text for sentence in MEANT)
    ]
    assert wrong == []


@pytest.mark.parametrize(
    "text",
    ["Held by", "nobody’s", "Take it up again", "Who decides", "Do it to 3", "Take it away"],
)
def test_the_list_finds_what_it_is_to_keep_out(text: str) -> None:
    assert WORDS.search(text)


def test_a_phrase_that_is_broken_between_two_lines_is_found() -> None:
    joined = [text for _, text in over_line_ends(["See *What", "  I am told* there."])]
    assert any(WORDS.search(text) for text in joined)
