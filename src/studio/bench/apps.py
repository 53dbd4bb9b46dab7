from django.apps import AppConfig


class BenchConfig(AppConfig):
    """The bench."""

    name = "studio.bench"
