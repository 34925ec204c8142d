"""The settings of a worker that a test starts: the test's own database."""

import os

from gannet.settings.base import sqlite
from gannet.settings.test import *  # noqa: F403

DATABASES = {"default": sqlite(os.environ["GANNET_TEST_DATABASE"])}
