from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "studio.library"

    def ready(self) -> None:
        import kunstgriff.stages  # noqa: F401 - registers every edit and step
