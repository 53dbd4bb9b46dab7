from django.apps import AppConfig


class BenchConfig(AppConfig):
    name = "studio.bench"
