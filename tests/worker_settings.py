"""The settings of a worker that a test starts: the test's own database."""

import os
from pathlib import Path

from gannet.settings.base import sqlite
from gannet.settings.test import *  # noqa: F403

if "GANNET_TEST_FILES" in os.environ:
    MEDIA_ROOT = Path(os.environ["GANNET_TEST_FILES"])
DATABASES = {"default": sqlite(os.environ["GANNET_TEST_DATABASE"])}
