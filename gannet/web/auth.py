"""Session sign-in for the API: CSRF is checked on every write, 401 when nobody is there."""

from rest_framework.authentication import SessionAuthentication
from rest_framework.request import Request


class SignedIn(SessionAuthentication):
    """A session; the header makes DRF answer 401 instead of 403 when there is none."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"
