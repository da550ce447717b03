"""The shapes of takes, and of what sounds, on the wire."""

from rest_framework import serializers

from fendo_core.takes.edits import MARKS
from fendo_core.words import MARKS as WORD_MARKS
from fendo_server.voice.models import Recording
from fendo_server.wire import SpanField

VOICE_KINDS = ["take", "comp"]


class VoiceSerializer(serializers.Serializer):
    """What sounds: a take or a comp, where it lies. Its sound and its waveform are at addresses that contain its key."""

    id = serializers.CharField(help_text="of the take or the comp")
    kind = serializers.ChoiceField(VOICE_KINDS)
    name = serializers.CharField()
    key = serializers.CharField(help_text="tells its sound: another sound has another key, another place has not")
    bare = serializers.CharField(help_text="the key of how it was read, without mends and treatment")
    span = SpanField(help_text="where it sounds, programme samples")
    speech = SpanField(allow_null=True, help_text="where somebody speaks, programme samples")
    phrases = serializers.ListField(child=SpanField(), help_text="programme samples")
    length = serializers.IntegerField()
    gain = serializers.FloatField(help_text="dB that it is played and mixed louder, so that it has the wanted level")


class StandingVoiceSerializer(VoiceSerializer):
    """What sounds for a line."""

    takes = serializers.ListField(child=serializers.IntegerField(), help_text="numbers of the takes that it is made of")
    provisional = serializers.BooleanField(help_text="nobody picked it: it sounds because it was read last")
    file = serializers.CharField(help_text="what a file of it is called")
    folder = serializers.CharField()
    loudness = serializers.FloatField(allow_null=True)
    peak = serializers.FloatField(allow_null=True)
    measured = serializers.BooleanField()


class ReadWordSerializer(serializers.Serializer):
    """A word of the line, and what became of it."""

    ordinal = serializers.IntegerField(help_text="of the line's words")
    text = serializers.CharField()
    mark = serializers.ChoiceField(WORD_MARKS)
    span = SpanField(allow_null=True, help_text="programme samples; null: not heard")


class ReadCheckSerializer(serializers.Serializer):
    """Is what was read the text?"""

    state = serializers.ChoiceField(["waiting", "checked", "not checked"])
    words = ReadWordSerializer(many=True)
    put_in = serializers.ListField(child=SpanField(), help_text="where something else was said")


class TakeSerializer(serializers.Serializer):
    """A take, or a comp listed like one; positions in programme samples, levels in dBFS, dBTP and LUFS."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(VOICE_KINDS)
    name = serializers.CharField()
    line = serializers.CharField()
    number = serializers.IntegerField(help_text="0: a comp has none")
    file = serializers.CharField(allow_blank=True)
    folder = serializers.CharField(allow_blank=True)
    reader = serializers.CharField()
    state = serializers.ChoiceField(Recording.State.choices)
    aside = serializers.BooleanField()
    mark = serializers.ChoiceField(MARKS, allow_blank=True, help_text="what somebody thinks of it; empty: nothing")
    note = serializers.CharField(allow_blank=True)
    start = serializers.IntegerField(help_text="where its first sample lies")
    length = serializers.IntegerField()
    voice = VoiceSerializer(allow_null=True, help_text="null while it is recorded")
    seams = serializers.ListField(child=serializers.IntegerField())
    peak = serializers.FloatField(allow_null=True)
    true_peak = serializers.FloatField(allow_null=True)
    loudness = serializers.FloatField(allow_null=True)
    noise = serializers.FloatField(allow_null=True)
    clipped = serializers.ListField(child=SpanField())
    late = serializers.IntegerField(allow_null=True)
    past_end = serializers.IntegerField(allow_null=True)
    too_long = serializers.BooleanField(help_text="it ends so long after its slot that it is heard")
    faults = serializers.ListField(child=serializers.CharField())
    remarks = serializers.ListField(child=serializers.CharField())
    advice = serializers.ListField(child=serializers.CharField(), help_text="what to do about its level")
    measured = serializers.BooleanField(help_text="its sound was looked at; a long take is there before that")
    latency_source = serializers.CharField(allow_blank=True)
    marks = serializers.ListField(
        child=serializers.IntegerField(), help_text="programme samples at which the reader marked a mistake"
    )
    within = serializers.IntegerField(allow_null=True, help_text="samples by which its place may be off")
    suggested = serializers.ListField(
        child=serializers.CharField(), required=False, help_text="why to begin with this one; empty for all others"
    )
    read = ReadCheckSerializer(allow_null=True, help_text="null for what is no take, or not measured yet")


class StrokeSerializer(serializers.Serializer):
    """A take as a stroke in its line's margin."""

    number = serializers.IntegerField()
    aside = serializers.BooleanField()


class SyncPointSerializer(serializers.Serializer):
    """A place in the picture that a word is put to."""

    at = serializers.IntegerField(help_text="programme sample of its frame")
    called = serializers.CharField()
