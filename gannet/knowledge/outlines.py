"""What an article of each kind begins as: the questions that its readers come with."""

from gannet.knowledge.models import ArticleKind

OUTLINES: dict[str, str] = {
    ArticleKind.HOW_TO: (
        "*When you need this, and what you need for it.*\n\n"
        "1. [ ] The first thing to do.\n2. [ ] The next.\n\n"
        "## How you see that it worked\n\n*What is there now that was not before.*"
    ),
    ArticleKind.FAULT: (
        "## What happens\n\n*What somebody sees, in their words.*\n\n"
        "## Why\n\n*What causes it, as far as it is known.*\n\n"
        "## What helps\n\n1. The first thing to try.\n2. The next.\n\n"
        "## If it does not help\n\n*What the desk needs to know then.*"
    ),
    ArticleKind.QUESTION: (
        "*The answer in one sentence.*\n\n"
        "## More about it\n\n*What follows from it, and where it differs.*"
    ),
    ArticleKind.KNOWN_ERROR: (
        "## What happens\n\n*What somebody sees, in their words.*\n\n"
        "## Whom it concerns\n\n*Which places, ships or programs.*\n\n"
        "## Why\n\n*What is known of the cause.*\n\n"
        "*What helps until then is shown below, as its problem says.*"
    ),
}
