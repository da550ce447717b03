"""Accounts."""

from django.apps import AppConfig


class AccountsConfig(AppConfig):
    """Who is signed in."""

    name = "fendo_server.accounts"
    label = "accounts"
