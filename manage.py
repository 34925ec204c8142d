"""For tools that look for a Django project; people use the `gannet` command."""

import os
import sys

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "gannet.settings.demo")

if __name__ == "__main__":
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
