from django.apps import AppConfig


class DeliveriesConfig(AppConfig):
    """Jobs and deliveries."""

    name = "studio.deliveries"
