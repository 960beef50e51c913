"""The WSGI application."""

import os

from django.core.wsgi import get_wsgi_application

os.umask(0o077)  # what the application keeps is read by its own account alone
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upwelling.web.settings")
application = get_wsgi_application()
