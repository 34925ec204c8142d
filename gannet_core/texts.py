"""What texts that people write are made of, beyond their words."""

from typing import Final

# Stands between somebody's new words and what their mail program carried along below them.
FOLD: Final = "\n\u2063\n"
