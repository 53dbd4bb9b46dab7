from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """Accounts."""

    name = "studio.accounts"
