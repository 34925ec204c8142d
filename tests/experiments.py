"""The app of the experiments: it declares what tests try out beside what ships."""

from importlib import import_module

from django.apps import AppConfig


class ExperimentsConfig(AppConfig):
    name = "tests.experiments"
    label = "experiments"
    path = __file__

    def ready(self) -> None:
        import_module("tests.visits")
