"""The worst of each kind at its full size, on every way in: time grows with length, no faster.

A pass over four times the text may take eight times as long (twice what it should, for a busy
machine); what grew with the square would take sixteen times. Processor time is measured, the
best of three.
"""

import base64
import json
from collections.abc import Callable
from time import process_time
from typing import Any

import pytest

from gannet.messages.reader import Reader, UnreadableMail
from gannet.messages.reading import read_mail
from gannet.people.mail_keys import without_keys
from gannet.tickets.models import Ticket
from gannet.web.errors import Problem
from gannet.web.given import MOST_DEEP, checked, read_json, whole_number, whole_numbers
from gannet.web.markdown import MOST_CHARACTERS, MOST_LINES, as_html
from gannet_core.conditions import fold, words_of
from gannet_core.suggest import suggest, train

SMALL = 4  # how many times longer the long one is
ALLOWED = 2 * SMALL


def repeated(unit: str) -> Callable[[int], str]:
    return lambda length: (unit * (length // len(unit) + 1))[:length]


TEXTS: dict[str, Callable[[int], str]] = {
    name: repeated(unit)
    for name, unit in {
        "line breaks": "\n", "blank lines": " \n", "spaces": " ", "tabs": "\t", "numbers": "1. ",
        "stars": "*", "open emphasis": "*a _b ", "strong in strong": "**x* ", "brackets": "[",
        "pictures": "![", "open links": "[a](", "open addresses": "[a](<b", "no links": "[](",
        "backticks": "`", "quotes": ">", "quotes apart": "> ", "lists in lists": "- ",
        "table cells": "|a", "table rows": "|a|\n|-|\n", "ampersands": "&", "entities": "&#",
        "less than": "<", "open tags": "<a ", "comments": "<!--", "scripts": "<script>",
        "links": "http://", "links and dots": ".http://,", "references": "[a]: b\n",
        "strikes": "~~a ~b", "fences": "```\n", "escapes": "\\", "headings": "# ", "keys": "gk-",
        "torn keys": "g\nk\n-\na\n", "quote marks": "On a wrote:\n", "signatures": "-- \n",
        "blockquotes": "<blockquote>", "deep boxes": "<div>", "fonts": "<font color=1><p>",
        "closing": "</", "word of one letter": "a", "digits": "9", "combining": "e\u0301", "accents above and below": "\u0300\u0316",
        "wide": "\U0001f6a2", "braces": "{", "colons": "From: ", "bidi": "\u202e",
    }.items()
}  # fmt: skip
HEADERS: dict[str, tuple[bytes, bytes]] = {
    "To <": (b"To: ", b"<"), "To (": (b"To: ", b"("), 'From "': (b"From: ", b'"'),
    "From a@b,": (b"From: ", b"a@b, "), "References <": (b"References: ", b"<"),
    "References": (b"References: ", b"<a@b> "), "Subject =?": (b"Subject: ", b"=?"),
    "Subject encoded": (b"Subject: ", b"=?utf-8?q?a?= "),
    "Subject open": (b"Subject: ", b"=?a?q?"),
    "boundary": (b"Content-Type: multipart/mixed; boundary=", b"x"),
    "parameters": (b"Content-Type: text/plain; ", b"a*0=b; "), "many": (b"", b"X: y\n"),
    "Cc ,": (b"Cc: ", b","), "results": (b"Authentication-Results: ", b"x;"),
    "file name": (b"Content-Disposition: attachment; filename*0*=", b"%41"),
    "report": (b"From: postmaster@x\n\n", b"Final-Recipient:;"),
    "reports": (b"From: postmaster@x\n\n", b"Final-Recipient: rfc822;\n"),
    "our numbers": (b"From: postmaster@x\n\n", b"<gannet."),
    "parts": (b"Content-Type: multipart/mixed; boundary=b\n\n", b"--b\n\n\n"),
    "messages": (b"", b"Content-Type: message/rfc822\n\n"),
}  # fmt: skip


def took(do: Callable[[], object]) -> float:
    best = float("inf")
    for _ in range(3):
        begun = process_time()
        do()
        best = min(best, process_time() - begun)
    return best


def grows_no_faster(do: Callable[[Any], object], make: Callable[[int], Any], length: int) -> None:
    short, long = make(length // SMALL), make(length)
    for _attempt in range(3):
        allowed = ALLOWED * took(lambda: do(short)) + 0.02
        spent = took(lambda: do(long))
        if spent <= allowed:
            return
    raise AssertionError(f"{length} took {spent:.3f} s, {allowed:.3f} s at most")


def as_mail(kind: str) -> Callable[[str], bytes]:
    head = f"From: a@b.example\nSubject: x\nMessage-ID: <1@x>\nContent-Type: text/{kind}\n\n"
    return lambda text: head.encode() + text.encode()


def fresh_html(text: str) -> str:
    as_html.cache_clear()
    return as_html(text)


WAYS: list[tuple[str, Callable[[Any], object], int]] = [
    ("shown as Markdown", fresh_html, MOST_CHARACTERS),
    ("mail in plain text", lambda text: read_mail(as_mail("plain")(text)), 200_000),
    ("mail in HTML", lambda text: read_mail(as_mail("html")(text)), 200_000),
    ("without keys", without_keys, 200_000),
    ("words of a search", words_of, 50_000),
    ("folded", fold, 50_000),
    ("as JSON", lambda text: read_json(json.dumps({"text": text})), 200_000),
]


@pytest.mark.parametrize("text", TEXTS)
@pytest.mark.parametrize(("way", "do", "length"), WAYS, ids=[way[0] for way in WAYS])
def test_texts(way: str, do: Callable[[Any], object], length: int, text: str, db: None) -> None:
    grows_no_faster(do, TEXTS[text], length)


@pytest.mark.parametrize("name", HEADERS)
def test_headers_of_mail(name: str) -> None:
    head, unit = HEADERS[name]
    grows_no_faster(
        read_mail, lambda length: head + unit * (length // len(unit)) + b"\n\nx", 60_000
    )


def test_mail_in_mail_in_mail() -> None:
    def nested(length: int) -> bytes:
        depth = min(length // 60, 900)
        heads = (
            b"Content-Type: multipart/mixed; boundary=%d\n\n--%d\n" % (n, n) for n in range(depth)
        )
        return b"".join(heads) + b"x" * 60

    assert read_mail(nested(200_000)).text is not None


def test_a_text_is_suggested_for_in_time() -> None:
    model = train([("gate broken", "gates"), ("till dark", "tills")])
    grows_no_faster(lambda text: suggest(model, text, 3), repeated("gate till "), 200_000)


ONE_ORDER, OTHER_ORDER = (
    'rel="noopener noreferrer" target="_blank"', 'target="_blank" rel="noopener noreferrer"'
)  # fmt: skip


# What is too large is shown as it was typed


@pytest.mark.parametrize(
    "text",
    [
        "*x* " * (MOST_CHARACTERS // 4 + 1),
        "*x*\n" * (MOST_LINES + 1),
        "> " * 200 + "deep",
        "|a" * 200 + "\n" + "|-" * 200 + "\n" + "|x\n" * 4_000,
    ],
)
def test_what_nobody_writes_is_not_marked_up(text: str) -> None:
    assert as_html(text) == ""


def test_marks_below_the_limits_are_read() -> None:
    assert "<em>x</em>" in as_html("*x*\n" * 2_000)
    assert as_html("> " * 10 + "quoted").count("<blockquote>") == 10


@pytest.mark.parametrize(
    ("text", "html"),
    [
        ("see <b>bold</b> and *this*", "<p>see &lt;b&gt;bold&lt;/b&gt; and <em>this</em></p>"),
        ("`<script>` is code", "<p><code>&lt;script&gt;</code> is code</p>"),
        ("*a* [x](javascript:alert(1))", '<p><em>a</em> <a target="_blank" rel="noopener noreferrer">x</a></p>'),
        ("*a* ![x](http://x.example/p.png)", "<p><em>a</em> </p>"),
        ("*a*\nb", "<p><em>a</em><br>\nb</p>"),
        ("https://x.example/a_b_c.", '<p><a href="https://x.example/a_b_c" target="_blank" rel="noopener noreferrer">https://x.example/a_b_c</a>.</p>'),
        ("~~no~~", "<p><del>no</del></p>"),
        ("nothing marked", ""),
        ("*a* \ue000b", "<p><em>a</em> b</p>"),
    ],
)  # fmt: skip
def test_markdown_is_harmless_html(text: str, html: str) -> None:
    assert as_html(text).strip().replace(ONE_ORDER, OTHER_ORDER) == html


# A reader that hangs or dies harms one message


@pytest.fixture
def reader() -> Any:
    made = Reader(seconds=1.0)
    yield made
    made.stop()


def test_a_reader_that_takes_too_long_is_ended_and_the_next_message_read(
    reader: Reader, monkeypatch: pytest.MonkeyPatch
) -> None:
    good = as_mail("plain")("hello")
    assert reader.read(good).text == "hello"
    process = reader._process
    assert process is not None
    process.send_signal(19)  # SIGSTOP: it hangs
    with pytest.raises(UnreadableMail, match="more than 1 seconds"):
        reader.read(good)
    assert process.poll() is not None, "it is ended, not left"
    assert reader.read(good).text == "hello"


def test_a_reader_that_dies_is_started_again(reader: Reader) -> None:
    good = as_mail("plain")("hello")
    reader.read(good)
    assert reader._process is not None
    reader._process.kill()
    reader._process.wait()
    assert reader.read(good).text == "hello"


def test_files_come_whole_out_of_the_reader(reader: Reader) -> None:
    body = base64.encodebytes(bytes(range(256)) * 40).decode()
    raw = (
        "From: a@b.example\nContent-Type: multipart/mixed; boundary=b\n\n--b\n\nsee\n--b\n"
        "Content-Type: application/octet-stream\nContent-Transfer-Encoding: base64\n"
        f"Content-Disposition: attachment; filename=x.bin\n\n{body}\n--b--\n"
    )
    mail = reader.read(raw.encode())
    assert mail.text == "see" and [file.name for file in mail.files] == ["x.bin"]
    assert mail.files[0].content == bytes(range(256)) * 40
    assert mail == read_mail(raw.encode()), "the same as without a process between"


# Numbers, halves of characters, depth


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("7", 7), ("007", 7), (str(2**63 - 1), 2**63 - 1), (str(2**63), None), ("²", None),
        ("٣", None), ("１", None), ("-1", None), ("1.0", None), ("", None), (None, None),
        (" 1", None), ("1" * 400, None), ("1_0", None), ("0x1", None),
    ],
)  # fmt: skip
def test_a_number_is_of_ascii_digits_and_fits(text: str | None, number: int | None) -> None:
    assert whole_number(text) == number


def test_a_list_of_numbers_leaves_out_what_is_none() -> None:
    assert whole_numbers("1,x,²,3,,4", 10) == [1, 3, 4]
    assert whole_numbers(",".join("1" * 1_000), 5) == [1] * 5


@pytest.mark.parametrize(
    "body",
    [
        f'{{"a": {2**63}}}', f'{{"a": -{2**63}}}', '{"a": 1e999}', '{"a": NaN}', '{"a": Infinity}',
        '"\\ud800"', '{"\\udfff": 1}', '"a\\u0000b"', "[" * 100_000, '{"a":' * 100_000, "{",
        "[" * (MOST_DEEP + 2) + "]" * (MOST_DEEP + 2), "", "\ufeff{}", "nonsense", '{"a": ' + "9" * 5_000 + "}",
    ],
)  # fmt: skip
def test_json_that_cannot_be_worked_with_is_refused_in_a_sentence(body: str) -> None:
    with pytest.raises(Problem) as refused:
        read_json(body)
    assert refused.value.status in (400, 422) and refused.value.detail


def test_json_that_can_be_worked_with_comes_through() -> None:
    body = {"a": [1, 2.5, None, True, "Ω\u200b", {"b": -(2**63) + 1}], "c": "x" * 10}
    assert read_json(json.dumps(body)) == body == checked(body)


SMALL_INPUTS = [
    "/api/tickets?filter={d}", "/api/items?q=a&service=²", "/api/items?service=9223372036854775808",
    "/api/tickets/touched?ids=²,1,99999999999999999999", "/api/find?q=²", "/api/find?q=9223372036854775808",
    "/api/requests/board?team=²", "/api/requests/board?team=99999999999999999999999", "/api/mailroom?before=²",
    "/api/tickets/99999999999999999999999", "/api/tickets/9223372036854775807", "/api/tickets/²",
    "/api/rulebook/editions/²", "/api/tickets?cursor=bnVsbA==", "/api/tickets?cursor=WzEsMWU5OTld",
    '/api/tickets?filter={"field":"number","op":"is","value":99999999999999999999}',
    '/api/tickets?filter={"field":"title","op":"contains","value":"\\ud800"}',
    '/api/tickets?filter={"field":"opened","op":"after","value":"9999999999999999999"}',
    '/api/tickets?filter={"field":"opened","op":"in the last","value":9223372036854775807}',
    "/api/reports/promises?span=last ² days", "/api/reports/promises?span=last 99999999999999 days",
    "/api/tickets?sort=%00", "/api/tickets?columns=²", "/api/drafts/%ff",
]  # fmt: skip


@pytest.mark.django_db
@pytest.mark.parametrize("path", SMALL_INPUTS)
def test_small_inputs_are_answered_with_a_sentence(api: Any, path: str) -> None:
    deep = '{"not":' * 1_500 + '{"all":[]}' + "}" * 1_500
    client = api("Anneke")
    client.raise_request_exception = False
    got = client.get(path.replace("{d}", deep))
    assert got.status_code < 500, got.content[:300]
    if got.status_code >= 400:
        assert got["Content-Type"] == "application/problem+json" and got.json()["detail"]


BODIES = [
    '{"title": "x", "text": "\\ud800"}', '{"title": "x", "service": 99999999999999999999}',
    '{"title": "x", "service": -1}', "[" * 100_000, '{"title": "x", "text": "a\\u0000"}',
    '{"title": "x", "answers": {"a": {"b": 1}}}', '{"title": 1e999}', '"just words"', "[]", "null", "12",
]  # fmt: skip


@pytest.mark.django_db
@pytest.mark.parametrize("body", BODIES)
def test_bodies_that_make_no_sense_log_nothing_and_say_why(api: Any, body: str) -> None:
    client = api("Maeve")
    client.raise_request_exception = False
    got = client.post("/api/portal/report", body, content_type="application/json")
    assert got.status_code in (400, 404, 422), (got.status_code, got.content[:300])
    assert got.json()["detail"] and not Ticket.objects.exists()


@pytest.mark.django_db
def test_a_report_of_line_breaks_is_taken_and_shown(api: Any) -> None:
    """45,000 of them once stopped everybody for a minute."""
    text = "Look:" + "\n" * 45_000 + "1. x"
    client = api("Maeve")
    begun = process_time()
    made = client.post(
        "/api/portal/report", {"title": "x", "text": text}, content_type="application/json"
    )
    assert made.status_code == 201
    shown = client.get(f"/api/portal/tickets/{made.json()['id']}")
    assert shown.status_code == 200 and process_time() - begun < 5


# The whole way in, at full size


FULL_REPORT, FULL_MAIL = 49_000, 220_000


def harmless(length: int) -> str:
    return ("the gate at the second ramp does not open. " * (length // 43 + 1))[:length]


@pytest.mark.django_db
@pytest.mark.parametrize("text", TEXTS)
def test_the_worst_report_is_taken_and_shown_like_any_other(api: Any, text: str) -> None:
    """Compared with plain words of the same length: taken in, read by both sides, searched."""

    def way(words: str) -> float:
        begun = process_time()
        client = api("Maeve")
        said = {"title": "Gate", "text": words}
        made = client.post("/api/portal/report", said, content_type="application/json")
        assert made.status_code in (201, 422), made.content[:200]
        if made.status_code == 201:
            number = made.json()["id"]
            assert client.get(f"/api/portal/tickets/{number}").status_code == 200
            assert api("Signe").get(f"/api/tickets/{number}").status_code == 200
        return process_time() - begun

    way(harmless(FULL_REPORT))
    allowed = 6 * way(harmless(FULL_REPORT)) + 0.5
    assert min(way(TEXTS[text](FULL_REPORT)) for _ in range(2)) <= allowed


@pytest.mark.django_db
@pytest.mark.parametrize("kind", ["plain", "html"])
@pytest.mark.parametrize("text", TEXTS)
def test_the_worst_mail_is_acted_on_like_any_other(northmere: None, text: str, kind: str) -> None:
    """What is done while the write lock is held, after it was read in a process of its own."""
    from gannet.messages import inbound
    from gannet_core.instants import seconds_of
    from tests.conftest import NOW

    def way(words: str, number: int) -> float:
        head = f"From: maeve.tarrant@northmere.example\nSubject: x\nMessage-ID: <{number}@x>\n"
        raw = f"{head}Content-Type: text/{kind}\n\n{words}".encode()
        prepared = inbound.prepared(raw)
        begun = process_time()
        kept = inbound.keep_message(raw, prepared, seconds_of(NOW), number)
        assert kept.outcome == "logged", kept.because
        return process_time() - begun

    allowed = 6 * min(way(harmless(FULL_MAIL), n) for n in (1, 2)) + 0.3
    assert min(way(TEXTS[text](FULL_MAIL), n) for n in (3, 4)) <= allowed
