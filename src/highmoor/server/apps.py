"""The Django application."""

from django.apps import AppConfig


class HighmoorServer(AppConfig):
    """Keeps plants, streams their changes, runs the bench."""

    name = "highmoor.server"
    label = "highmoor"
