"""Ordinary requests: WSGI, because a synchronous view in a kept thread is fastest."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "gannet.settings.production")
application = get_wsgi_application()
