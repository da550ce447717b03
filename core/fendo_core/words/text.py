"""The words that are said when a text is read, each with the word of the text that it belongs to."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from fendo_core.script.lines import tokens
from fendo_core.script.phonemes import Phonemes
from fendo_core.script.spoken import spoken_out


@dataclass(frozen=True, slots=True)
class Spoken:
    """A word that is said, in small letters; `ordinal` is that of its word on the page (`script.lines.tokens`)."""

    text: str
    ordinal: int


def spoken_words(text: str) -> list[Spoken]:
    """What is said of an English text, word after word: numbers and abbreviations are spoken out."""
    found = []
    for ordinal, token in enumerate(tokens(text)):
        said = re.sub(r"[’‘]", "'", spoken_out(token, "en-gb")).casefold()
        for word in re.findall(r"[^\W\d_]+(?:'[^\W\d_]+)*", said):
            found.append(Spoken(word, ordinal))
    return found


_SOUNDS = (
    "iː:IY i:IY ɪ:IH ɛ:EH e:EH æ:AE a:AE ɑː:AA ɑ:AA ɒ:AA ɔː:AO ɔ:AO oː:AO ʊ:UH uː:UW u:UW ʌ:AH ə:AH ɐ:AH ɚ:ER ɜː:ER ɝ:ER "
    "eɪ:EY aɪ:AY ɔɪ:OY aʊ:AW oʊ:OW əʊ:OW aɪə:AY-AH aɪɚ:AY-ER iə:IY-AH ɪɹ:IH-R ɛɹ:EH-R ɔːɹ:AO-R oːɹ:AO-R ɑːɹ:AA-R "
    "ʊɹ:UH-R əl:AH-L ᵻ:IH n̩:AH-N p:P b:B t:T d:D k:K ɡ:G g:G f:F v:V θ:TH ð:DH s:S z:Z ʃ:SH ʒ:ZH h:HH x:K ç:HH m:M n:N "
    "ŋ:NG l:L ɫ:L ɹ:R r:R w:W j:Y tʃ:CH dʒ:JH ɾ:T ʔ:T ɬ:L"
)
_ARPABET = {ipa: sound for ipa, _, sound in (pair.partition(":") for pair in _SOUNDS.split())}
"""Speech sounds of the phoneme library (IPA, American English) as the decoder's (ARPAbet)."""

_phonemes = Phonemes()


def pronounced(words: Sequence[str]) -> list[str | None]:
    """How words that no dictionary knows are said, in ARPAbet; None for one that can't be spoken out."""
    found: list[str | None] = []
    for said in _phonemes.of(list(words), "en-us"):
        sounds = [_ARPABET.get(_bare(phone), "") for phone in re.split(r"[_ ]", said or "")]
        found.append(" ".join(sound.replace("-", " ") for sound in sounds if sound) or None)
    return found


def _bare(phone: str) -> str:
    """Without marks of stress and of shading."""
    return re.sub("[ˈˌʰʲ̃]", "", phone)
