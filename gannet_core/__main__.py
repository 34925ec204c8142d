"""`python -m gannet_core`: answers JSON lines on standard input, see `json_lines`."""

import io
import sys

from gannet_core.json_lines import answer_lines


def main() -> None:
    """Read cases until the end of input; one answer a line, as UTF-8."""
    lines = io.TextIOWrapper(sys.stdin.buffer, encoding="utf-8", errors="replace")
    out = io.TextIOWrapper(sys.stdout.buffer, encoding="utf-8", line_buffering=True)
    for line in answer_lines(lines):
        out.write(line + "\n")
    out.flush()


if __name__ == "__main__":
    main()
