"""How loud the voice of a production is, and by how much each other sound gives way to it."""

from fendo_core.picture.laid import LaidSound
from fendo_core.voice.level import give_way, voice_level
from fendo_server.productions.models import Production
from fendo_server.takes.models import Take


class Ducks:
    """By how much the sounds of a production give way; what that needs is read once."""

    def __init__(self, production: Production) -> None:
        self._loudness = {str(key): loudness for key, loudness in production.sources.values_list("id", "loudness")}
        self._distance = production.duck_distance
        recorded: list[float] = []
        if production.speech_level is None:
            told = Take.objects.filter(line__production=production, line__dropped=False, loudness__isnull=False)
            recorded = [loudness for loudness in told.values_list("loudness", flat=True) if loudness is not None]
        self._voice = voice_level(production.speech_level, recorded)

    def of(self, sound: LaidSound) -> float:
        """dB (0 or below) by which a clip's own sound, or a laid one, gives way; 0 for one that does not."""
        if sound.bed != "ducked":
            return 0.0
        return give_way(self._loudness.get(sound.source), sound.level, self._voice, self._distance)
