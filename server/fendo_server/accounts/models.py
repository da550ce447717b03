"""One-time sign-in links."""

import hashlib
import secrets
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone

LASTS = timedelta(hours=12)


class EntryLink(models.Model):
    """A link that signs one account in, once. Only the token's hash is stored."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    token_hash = models.CharField(max_length=64, unique=True)
    made = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(null=True)

    @classmethod
    def make(cls, user: Any) -> str:
        """A new link's token; it is shown here and never again."""
        token = secrets.token_urlsafe(24)
        cls.objects.create(user=user, token_hash=_hash(token))
        return token

    @classmethod
    def use(cls, token: str) -> Any:
        """The user whose link this is, None when it is unknown, old or used. Two at once: one wins."""
        with transaction.atomic():
            link = cls.objects.select_for_update().filter(token_hash=_hash(token), used=None).first()
            if link is None or timezone.now() - link.made > LASTS:
                return None
            link.used = timezone.now()
            link.save(update_fields=["used"])
            return link.user


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
