from django.apps import AppConfig


class LibraryConfig(AppConfig):
    name = "studio.library"

    def ready(self) -> None:
        from kunstgriff.stages import install

        install()
