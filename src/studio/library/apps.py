from django.apps import AppConfig


class LibraryConfig(AppConfig):
    """Figures, their revisions and their content; installs the stages of the work."""

    name = "studio.library"

    def ready(self) -> None:
        from kunstgriff.stages import install

        install()
