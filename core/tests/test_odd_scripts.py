"""Ways to write a script, each in a few rows with the lines that are meant. Longer files: `tests/sent_scripts.py`."""

import base64
import io
import zipfile
from fractions import Fraction

import cairocffi
import pytest

from fendo_core.script.intake import ScriptRefused, read_script
from fendo_core.script.intake.structured import is_speech_markup, is_timed_text
from fendo_core.timebase import SAMPLE_RATE, FrameRate
from sent_scripts import docx, par, run, word_table, xlsx

FERRY, NOBODY, SALT = "The ferry leaves.", "Nobody waits.", "Salt remains."
PLAIN = [(FERRY, None, "", ""), (NOBODY, None, "", ""), (SALT, None, "", "")]
TIMED = [(FERRY, (12, 18), "", ""), (NOBODY, (20, 24), "", "")]
NAMED = [(FERRY, None, "", "NARRATOR"), (NOBODY, None, "", "NARRATOR")]

ODD = {
    "GUIDE - THE QUAY\nVoice: female, 40s, warm\n\n"
    "STOP 101 | Hall | max. 45\"\nThe ferry leaves.\n\nSTOP 102 | Loft | max. 60\""
    "\nNobody waits.\n\n(end of tour)\n": [
        (FERRY, None, "STOP 101 | Hall | max. 45\"\nVoice: female, 40s, warm", ""),
        (NOBODY, None, "STOP 102 | Loft | max. 60\"\nend of tour", ""),
    ],
    "Film: Das Salz\nFassung 3\nLänge 28'30\n\n10:00:12 OFF 1\nThe ferry leaves.\n10:00:18\n\n10:00:20 OFF 2\n"
    "Nobody waits.\n10:00:24\n": TIMED,
    "Slide 1\nNARRATION: The ferry leaves.\nNOTE TO VO: stress “leaves”\n\nSlide 2\nNARRATION: Nobody waits.\n": [
        (FERRY, None, "Slide 1\nstress “leaves”", ""), (NOBODY, None, "Slide 2", ""),
    ],
    "RADIO - 20 SECONDS\n\nVersion A\nThe ferry leaves.\n\nVersion B\nNobody waits.\n": [
        (FERRY, None, "Version A", ""), (NOBODY, None, "Version B", ""),
    ],
    "VO SCRIPT\n\n1   The ferry leaves.\n2   Nobody waits.\n3   ALT 2: Nobody is there.\n4   Salt remains.\n": [
        (FERRY, None, "", ""), (NOBODY, None, "or: Nobody is there.", ""), (SALT, None, "", ""),
    ],
    "VO #   TC IN        DUR    TEXT\n001    10:00:12:00  6s     The ferry leaves.\n"
    "002    10:00:20:00  4s     Nobody waits.\n": TIMED,
    "[30/11/2026, 09:12:33] Tess Varley: here they are\n[30/11/2026, 09:13:01] Tess Varley: 1. The ferry leaves.\n"
    "[30/11/2026, 09:13:20] Tess Varley: 2. Nobody waits.\n[30/11/2026, 09:13:41] Tess Varley: 3. Salt remains.\n": [
        (said, None, "", "Tess Varley") for said in (FERRY, NOBODY, SALT)
    ],
    "COLD OPEN\nHOST: The ferry leaves.\n\nAD BREAK (1 min)\nHOST: Nobody waits.\n": [
        (FERRY, None, "COLD OPEN", "HOST"), (NOBODY, None, "AD BREAK (1 min)", "HOST"),
    ],
    "(12-18) The ferry leaves.\n(20–24) Nobody waits.\n": TIMED,
    "S01 – Harbour – 6 sec\nThe ferry leaves.\n\nS02 – Quay – 5 sec\nNobody waits.\n": [
        (FERRY, None, "S01 – Harbour – 6 sec", ""), (NOBODY, None, "S02 – Quay – 5 sec", ""),
    ],
    "VO 1 (00:12–00:18)\nThe ferry leaves.\n\nVO 2 (00:20–00:24)\nNobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""),
    ],
    "SCENE 1 - THE HARBOUR\n\nNARRATOR\nThe ferry leaves.\n\nSCENE 2 - THE BELL\n\nNARRATOR\nNobody waits.\n": [
        ("The ferry leaves.", None, "SCENE 1 - THE HARBOUR", "NARRATOR"),
        ("Nobody waits.", None, "SCENE 2 - THE BELL", "NARRATOR"),
    ],
    "IN: 10:00:12:00 OUT: 10:00:18:00\nThe ferry leaves.\n\nIN: 10:00:20:00 OUT: 10:00:24:00\nNobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""),
    ],
    "Line 1 [10:00:12:00 - 10:00:18:00]: The ferry leaves.\nLine 2 [10:00:20:00 - 10:00:24:00]: Nobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""),
    ],
    "Slide 1\nThe ferry leaves.\n\nSlide 2: The bell\nNobody waits.\n(pause)\nSalt remains.\n": [
        ("The ferry leaves.", None, "Slide 1", ""), ("Nobody waits.", None, "Slide 2: The bell", ""),
        ("Salt remains.", None, "pause", ""),
    ],
    "0:00:12.000,0:00:18.000\nThe ferry leaves.\n\n0:00:20.000,0:00:24.000\nNobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""),
    ],
    "| Time | Picture | Narration |\n|---|:---:|---|\n| 0:12-0:18 | harbour | The ferry leaves. |\n": [
        ("The ferry leaves.", (12, 18), "", ""),
    ],
    "1) 00:00:12 The ferry leaves.\n2) 00:00:20 Nobody waits.\n3) 00:00:26 - 00:00:28 Salt remains.\n": [
        ("The ferry leaves.", (12, 20), "", ""), ("Nobody waits.", (20, 26), "", ""), ("Salt remains.", (26, 28), "", ""),
    ],
    "NARRATOR (warm, slow): The ferry leaves.\nNARRATOR: Nobody waits.\n": [
        ("The ferry leaves.", None, "warm, slow", "NARRATOR"), ("Nobody waits.", None, "", "NARRATOR"),
    ],
    "TC 0:12\nCOMM 1\nThe ferry leaves.\n\nTC 0:20\nSYNC Otto Brand, baker:\n\"I like the dark.\"\n\n"
    "TC 0:26\nCOMM 2\nNobody waits.\n\nTC 0:30\nSYNC Mira Sohl, baker:\n\"I do.\"\n": [
        (FERRY, (12, 20), "", ""), (NOBODY, (26, 30), "", ""),
    ],
    "CLIENT: Quay Bakery\nSTATION: Radio Mole\n\nANNCR: The ferry leaves.\n\nSFX: BELL\n\nANNCR: Nobody waits.\n": [
        (FERRY, None, "", "ANNCR"), (NOBODY, None, "BELL", "ANNCR"),
    ],
    "Stop 1: The harbour\nDuration: approx. 20 sec\nThe ferry leaves.\n\n"
    "Stop 2: The bell\nDuration: approx. 10 sec\nNobody waits.\n": [
        (FERRY, None, "Stop 1: The harbour", ""), (NOBODY, None, "Stop 2: The bell", ""),
    ],
    "The Ferry – VO script\n\n________________\n\n1\n0:12 – 0:18\nThe ferry leaves.\n\n________________\n\n"
    "2\n0:20 – 0:24\nNobody waits.\n": TIMED,
    "1.1 Harbour\nThe ferry leaves.\n\n1.2 Quay\nNobody waits.\n\n2.1 Sea\nSalt remains.\n": [
        (FERRY, None, "1.1 Harbour", ""), (NOBODY, None, "1.2 Quay", ""), (SALT, None, "2.1 Sea", ""),
    ],
    "Hi Mira,\n\nhere is the text for Thursday.\n\n1) The ferry leaves.\n2) Nobody waits.\n3) Salt remains.\n\n"
    "Many thanks and see you on Thursday!\n\nOtto\n\n--\nOtto Brand\nQuay Bakery\n+44 20 7946 0018\n": PLAIN,
    "(VO)\nThe ferry leaves.\n\n(SOT :12)\nIN: \"I like the dark...\"\nOUT: \"...dough.\"\n\n(VO)\nNobody waits.\n": [
        (FERRY, None, "VO", ""), (NOBODY, None, "VO", ""),
    ],
    "VIDEO                     AUDIO\n\nStreet. Lights go on      NARR: The ferry\nbehind a window.          leaves.\n\n"
    "Faces, one after          NARR: Nobody\nanother.                  waits.\n\n"
    "Dough on wood.            (MUSIC STARTS)\n"
    "                          NARR: Salt\n                          remains.\n": [
        (FERRY, None, "", "NARR"), (NOBODY, None, "", "NARR"), (SALT, None, "MUSIC STARTS", "NARR"),
    ],
    "【00:12】船は出た。\n【00:20】誰も待たない。\n【00:24-00:26】塩が残る。\n": [
        ("船は出た。", (12, 20), "", ""), ("誰も待たない。", (20, 24), "", ""), ("塩が残る。", (24, 26), "", ""),
    ],
    "００：１２　船は出た。\n００：２０　誰も待たない。\n００：２４～００：２６　塩が残る。\n": [
        ("船は出た。", (12, 20), "", ""), ("誰も待たない。", (20, 24), "", ""), ("塩が残る。", (24, 26), "", ""),
    ],
    "MOD: The ferry leaves.\n\nMAZ 1'20\"\nin: \"Ich mag…\"\nout: \"…den Teig.\"\n\nMOD: Nobody waits.\n": [
        (FERRY, None, "", "MOD"), (NOBODY, None, "", "MOD"),
    ],
    "CARD: THIS AUTUMN\n\nV.O.: The ferry leaves.\n\nCARD: ONE BELL\n\nV.O.: Nobody waits.\n\nLOGO\n": [
        (FERRY, None, "THIS AUTUMN", ""), (NOBODY, None, "ONE BELL\nLOGO", ""),
    ],
    "Scene 1 | 0:12 - 0:18\nVISUAL: Harbour.\nVOICEOVER: The ferry leaves.\n\n"
    "Scene 2 | 0:20 - 0:24\nVISUAL: Bell.\nVOICEOVER: Nobody waits.\n": [
        (FERRY, (12, 18), "Scene 1\nHarbour.", ""), (NOBODY, (20, 24), "Scene 2\nBell.", ""),
    ],
    "Opening (0:12): The ferry leaves.\n\nPeople (0:20): Nobody waits.\n\nEnd (0:24–0:26): Salt remains.\n": [
        (FERRY, (12, 20), "Opening", ""), (NOBODY, (20, 24), "People", ""), (SALT, (24, 26), "End", ""),
    ],
    "# Harbour\n\nThe ferry leaves.\n\n# Quay\n\nNobody waits.\n\nSalt remains.\n\n# Notes\n\nSlowly, please.\n": [
        (FERRY, None, "", ""), (NOBODY, None, "Quay", ""), (SALT, None, "Notes\nSlowly, please", ""),
    ],
    "HOOK (0:12-0:18)\nThe ferry leaves.\n\n[B-ROLL: street]\n\nMAIN (0:20-0:24)\n"
    "Nobody waits.\n\nCTA (0:24-0:26)\nSalt remains.\n": [
        (FERRY, (12, 18), "HOOK", ""), (NOBODY, (20, 24), "MAIN\nB-ROLL: street", ""), (SALT, (24, 26), "CTA", ""),
    ],
    "The tide\n\nThe tide is out,\nthe boats all lean,\nthe mud between\nis green.\n\n"
    "The bell has rung,\nthe quay is bare,\nand nobody\nis there.\n": [
        ("The tide is out, the boats all lean, the mud between is green.", None, "", ""),
        ("The bell has rung, the quay is bare, and nobody is there.", None, "", ""),
    ],
    "Step 1: Wash your hands\nNarration: The ferry leaves.\nStep 2: Weigh the flour\nNarration: Nobody waits.\n": [
        (FERRY, None, "Step 1: Wash your hands", ""), (NOBODY, None, "Step 2: Weigh the flour", ""),
    ],
    "• wide shot\n• lights go on\nVO: The ferry leaves.\n\n• faces\nVO: Nobody waits.\n": [
        (FERRY, None, "wide shot\nlights go on", ""), (NOBODY, None, "faces", ""),
    ],
    "| Time | Video | Audio |\n|---|---|---|\n| 0:12-0:18 | Harbour | VO: The ferry leaves. |\n"
    "| 0:20-0:24 | Bell | VO: Nobody waits.<br>*(MUSIC UP)* |\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (20, 24), "MUSIC UP", ""),
    ],
    "[NARRATOR]\nThe ferry leaves.\n\n[OTTO, tired]\nNobody waits.\n\n[NARRATOR]\nSalt remains.\n": [
        (FERRY, None, "", "NARRATOR"), (NOBODY, None, "tired", "OTTO"), (SALT, None, "", "NARRATOR"),
    ],
    "0:00 – Logo animation (no voice)\n0:12 – The ferry leaves.\n0:20 – Nobody waits.\n0:24 – Logo (music only)\n": [
        (FERRY, (12, 20), "", ""), (NOBODY, (20, 24), "Logo (music only)", ""),
    ],
    "1 Titles\nMusic only.\n\n2 Dawn\nThe ferry leaves.\n\n3 People\nNobody waits.\n\n4 Loaf\nSalt remains.\n": [
        (FERRY, None, "1 Titles\n2 Dawn\nMusic only", ""), (NOBODY, None, "3 People", ""), (SALT, None, "4 Loaf", ""),
    ],
    "1 The ferry leaves.\n\n2 Nobody waits.\n\n3 Salt remains.\n": PLAIN,
    "Slide 1: The ferry leaves.\nSlide 2: Nobody waits.\nSlide 3: Salt remains.\n": [
        (FERRY, None, "Slide 1", ""), (NOBODY, None, "Slide 2", ""), (SALT, None, "Slide 3", ""),
    ],
    "(Slide 1) The ferry leaves.\n\n(Slide 2) Nobody waits.\n\nSalt remains.\n": [
        (FERRY, None, "Slide 1", ""), (NOBODY, None, "Slide 2", ""), PLAIN[2],
    ],
    "Slide 1\nSay: The ferry leaves.\nDo: Click twice.\n\nSlide 2\nSay: Nobody waits.\nDo: Click once.\n": [
        (FERRY, None, "Slide 1\nClick twice.", ""), (NOBODY, None, "Slide 2\nClick once.", ""),
    ],
    "Track 1: 0:12 – 0:18\nThe ferry leaves.\nTrack 2: 0'20\" – 0'24\"\nNobody waits.\n": [
        (FERRY, (12, 18), "Track 1", ""), (NOBODY, (20, 24), "Track 2", ""),
    ],
    "{300}{450}The ferry|leaves.\n{500}{600}Nobody waits.\n": TIMED,
    "{1}{1}12.5\n{150}{225}The ferry leaves.\n{250}{300}Nobody waits.\n": TIMED,
    "<?xml version='1.0'?>\n<speak version='1.1'><p>The <emphasis>ferry</emphasis>\nleaves.<break time='1s'/></p>"
    "<p><s>Nobody</s> waits.</p><p>Salt remains.</p></speak>\n": PLAIN,
    "Hi Maren,\n\nthese three as usual:\n\n1) The ferry leaves.\n2) Nobody waits.\n3) Salt remains.\n\n"
    "Files as low_01.wav.\nBy Friday noon.\n\nCheers\nOtto\n": PLAIN,
    "THE SHORE: AN HOUR\n\nThe ferry … leaves. (pause 5 seconds)\n\nNobody waits.\n\nSalt remains.\n": [
        ("The ferry … leaves.", None, "pause 5 seconds", ""), *PLAIN[1:],
    ],
    "101 The quay\nThe ferry leaves.\n\n102 The bell\nNobody waits.\n": [
        (FERRY, None, "101 The quay", ""), (NOBODY, None, "102 The bell", ""),
    ],
    "Stop 1 – Quay (approx. 45 sec)\nThe ferry leaves.\n\nStop 2 – Bell (ca. 30 sec)\nNobody waits.\n": [
        (FERRY, None, "Stop 1 – Quay (approx. 45 sec)", ""), (NOBODY, None, "Stop 2 – Bell (ca. 30 sec)", ""),
    ],
    "[09:41, 03/05/2026] Otto: The ferry leaves.\n[09:44, 03/05/2026] Otto: Nobody waits.\n": [
        (FERRY, None, "", "Otto"), (NOBODY, None, "", "Otto"),
    ],
    "Who reads? Otto does.\n\nSCRIPT STARTS\nThe ferry leaves.\nNobody waits.\nSalt remains.\nSCRIPT ENDS\n": PLAIN,
    "LineID,Character,Line,Context\nQ_1,MAREN,The ferry leaves.,calm\nQ_2,OTTO,Nobody waits.,from afar\n": [
        (FERRY, None, "calm", "MAREN"), (NOBODY, None, "from afar", "OTTO"),
    ],
    "Scene 1\nText (EN): The ferry leaves.\nText (DE): Die Fähre fährt.\n\n"
    "Scene 2\nText (EN): Nobody waits.\nText (DE): Niemand wartet.\n": [
        (FERRY, None, "Scene 1", ""), (NOBODY, None, "Scene 2", ""),
    ],
    "[12s] The ferry leaves.\n[20s] Nobody waits.\n[24s] Salt remains.\n": [
        (FERRY, (12, 20), "", ""), (NOBODY, (20, 24), "", ""), (SALT, (24, 24.88), "", ""),
    ],
    "[5s] The ferry leaves.\n[5s] Nobody waits.\n[4s] Salt remains.\n": [
        (FERRY, None, "5s", ""), (NOBODY, None, "5s", ""), (SALT, None, "4s", ""),
    ],
    "0:12 – The ferry leaves. (6 sec)\n0:20 – Nobody waits. (4 sec)\n": TIMED,
    "t=12 The ferry leaves.\nt=20 Nobody waits.\nt=24 Salt remains.\n": [
        (FERRY, (12, 20), "", ""), (NOBODY, (20, 24), "", ""), (SALT, (24, 24.88), "", ""),
    ],
    "T+0:12-0:18 The ferry leaves.\nT+0:20-0:24 Nobody waits.\n": TIMED,
    "Cue 1 @ 0:12 - 0:18 – The ferry leaves.\nCue 2 @ 0:20 - 0:24 – Nobody waits.\n": TIMED,
    # What stands around the words
    "The Salt Road\nVersion 3 - final\n\nThe ferry leaves.\n\nNobody waits.\n\nSalt remains.\n\n- END -\n": PLAIN,
    "Client: Harbour Bakery\nLänge: 0'30\n(12 words / 0:08)\n\nThe ferry leaves.\nNobody waits.\nSalt remains.\n": PLAIN,
    "The ferry leaves.\n\nSalt v3 - Page 1 of 2\n\nNobody waits.\n\nSalt v3 - Page 2 of 2\n\nSalt remains.\n": PLAIN,
    "The ferry leaves.\n\n***\n\nNobody waits.\n\n-----\n\nSalt remains.\n": PLAIN,
    "Salt is what\n\nremains when\n\nthe wind is gone\n": [
        ("Salt is what", None, "", ""), ("remains when", None, "", ""), ("the wind is gone", None, "", ""),
    ],
    "- The ferry leaves.\n- Nobody waits.\n- Salt remains.\n": PLAIN,
    "> Hi, here is the text for tomorrow:\n>\n> 1. The ferry leaves.\n> 2. Nobody waits.\n>\n> Thanks!\n": PLAIN[:2],
    "The ferry leaves.¹\n\nNobody waits.\n\n¹ At ten.\n\n— 12 —\n\nSalt remains on 4 m².\n": [
        ("The ferry leaves.", None, "At ten.", ""), PLAIN[1], ("Salt remains on 4 m².", None, "", ""),
    ],
    "The ferry leaves.\n\n... pause 5 seconds ...\n\nNobody waits.\n\nTotal words: 12\n": [
        ("The ferry leaves.", None, "", ""), ("Nobody waits.", None, "pause 5 seconds", ""),
    ],
    "On screen: Salt\nVoice-over: The ferry leaves at ten o’clock,\n\nOn screen: Bells\n"
    "Voice-over: Nobody waits at the harbour when\nit leaves.\n": [
        ("The ferry leaves at ten o’clock,", None, "Salt", ""),
        ("Nobody waits at the harbour when it leaves.", None, "Bells", ""),
    ],
    "0:12–0:18   The ferry leaves,\n            and nobody waits.\n0:20–0:24   Salt remains.\n": [
        ("The ferry leaves, and nobody waits.", (12, 18), "", ""), ("Salt remains.", (20, 24), "", ""),
    ],
    "AD 1\n10:00:12:00 - 10:00:18:00 (6s)\nThe ferry leaves.\n\nAD 2\n10:00:20:00 - 10:00:24:00 (4 s) FAST\n"
    "Nobody waits.\n": [("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "FAST", "")],
    "#1\nIN: 00:00:12:00\nOUT: 00:00:18:00\nDUR: 00:00:06:00\nThe ferry leaves.\n\n#2\nIN: 00:00:20:00\n"
    "OUT: 00:00:24:00\nDUR: 00:00:04:00\nNobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""),
    ],
    "Film: The Salt Road\nLength: 0'26\"\n\n00.12   The ferry leaves.\n00.20   Nobody waits.\n00.24   Salt remains.\n": [
        ("The ferry leaves.", (12, 20), "", ""), ("Nobody waits.", (20, 24), "", ""),
        ("Salt remains.", (24, 24.88), "", ""),
    ],
    "VO1 (0:12-0:18): The ferry leaves.\nVO2 (0:20-0:24): Nobody waits.\n---\nVO3 (0:25-0:28): Salt remains.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""), ("Salt remains.", (25, 28), "", ""),
    ],
    "0:12 The ferry leaves. 0:20 Nobody waits. 0:24 Salt remains.\n": [
        ("The ferry leaves.", (12, 20), "", ""), ("Nobody waits.", (20, 24), "", ""),
        ("Salt remains.", (24, 24.88), "", ""),
    ],
    "Greeting: The ferry leaves.\nOption 1: Nobody waits.\nOption 2: Salt remains.\nGoodbye: Come again.\n": [
        ("The ferry leaves.", None, "Greeting", ""), ("Nobody waits.", None, "Option 1", ""),
        ("Salt remains.", None, "Option 2", ""), ("Come again.", None, "Goodbye", ""),
    ],
    "Visual: boats\nVO: The ferry leaves.\n\nVisual: ropes\nVO: (no VO)\n\nVisual: sea\nVO: Nobody waits.\n": [
        ("The ferry leaves.", None, "boats", ""), ("Nobody waits.", None, "sea", ""),
    ],
    "NARRATOR: The ferry leaves.\n\nNARRATOR: [PAUSE 2s]\n\nNARRATOR: Nobody waits.\n": [
        ("The ferry leaves.", None, "", "NARRATOR"), ("Nobody waits.", None, "PAUSE 2s", "NARRATOR"),
    ],
    "(Line 1) The ferry leaves.\n(Line 2) Nobody waits.\n(Line 3) Salt remains.\n": PLAIN,
    "N.º 1 – The ferry leaves.\nN.º 2 – Nobody waits.\nN.º 3 – Salt remains.\n": PLAIN,
    "001_open: The ferry leaves.\n002_wait: Nobody waits.\n003_salt: Salt remains.\n": PLAIN,
    "Script: “The Salt Road” (2 min)\nBrand: Harbour Bakery\nVO artist: tbc\n\nThe ferry leaves.\nNobody waits.\n": PLAIN[
        :2
    ],
    "SCENE 1. QUAY. MORNING.\n\n1. NARRATOR: The ferry leaves.\n2. FX: GULLS.\n3. NARRATOR: Nobody waits.\n": [
        ("The ferry leaves.", None, "SCENE 1. QUAY. MORNING.", "NARRATOR"), ("Nobody waits.", None, "GULLS.", "NARRATOR"),
    ],
    "1m03 The ferry leaves.\n1m10 Nobody waits.\n": [
        ("The ferry leaves.", (63, 70), "", ""), ("Nobody waits.", (70, 70.88), "", ""),
    ],
    "* 0:12 -- The ferry leaves.\n* 0:20 -- Nobody waits.\n": [
        ("The ferry leaves.", (12, 20), "", ""), ("Nobody waits.", (20, 20.88), "", ""),
    ],
    "Off 1 - 00:12 à 00:18\nThe ferry leaves.\n\nOff 2 - 00:20 à 00:24\nNobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 24), "", ""),
    ],
    # What is heard in the film
    "NARRATION: The ferry leaves.\n\nSOT ANNA MILLER: I live here.\n\nNARRATION: Nobody waits.\n": PLAIN[:2],
    "0:12 - VO - The ferry leaves.\n0:20 - SOT (Anna Miller) - I live here, by the sea.\n0:24 - VO - Nobody waits.\n": [
        ("The ferry leaves.", (12, 20), "", ""), ("Nobody waits.", (24, 25.2), "", ""),
    ],
    "Text 1\nThe ferry leaves.\n\nO-Ton Anna Miller\nI live here.\n\nText 2\nNobody waits.\n": PLAIN[:2],
    "TC 10:00:12:00\nCOMMENTARY\nThe ferry leaves.\n\nTC 10:00:18:00\nSYNC: HARBOUR MASTER\n“I live here.”\n\n"
    "TC 10:00:20:00\nCOMMENTARY\nNobody waits.\n": [
        ("The ferry leaves.", (12, 18), "", ""), ("Nobody waits.", (20, 21.6), "", ""),
    ],
    "COMMENTAIRE 1 : The ferry leaves.\n\nITW ANNE : I live here.\n\nCOMMENTAIRE 2 : Nobody waits.\n": PLAIN[:2],
    "Grab a coffee: it is late.\n\nInterview rooms are cold.\n": [
        ("Grab a coffee: it is late.", None, "", ""), ("Interview rooms are cold.", None, "", ""),
    ],
    # Directions in the words
    "The ferry [beat] leaves.\n\n(softly) Nobody <pause 1s> waits.\n\nSalt remains. [MUSIC SWELLS]\n": [
        (FERRY, None, "beat after “ferry”", ""), (NOBODY, None, "softly\npause 1s after “Nobody”", ""),
        (SALT, None, "MUSIC SWELLS after “remains”", ""),
    ],
    "The bell (cast in 1754) rings.\n\nIt weighs 40 kg (88 lb).\n": [
        ("The bell (cast in 1754) rings.", None, "", ""), ("It weighs 40 kg (88 lb).", None, "", ""),
    ],
    "Orsey (OR-see) is cold.\n": [("Orsey is cold.", None, "“Orsey” is said OR-see", "")],
    # Names
    "NARRATOR (slowly)\nThe ferry leaves.\n\nNARRATOR (brighter)\nNobody waits.\n\nANNA (off)\nSalt remains.\n": [
        (FERRY, None, "slowly", "NARRATOR"), (NOBODY, None, "brighter", "NARRATOR"), (SALT, None, "", "ANNA"),
    ],
    "SFX: GULLS\nVO: The ferry leaves.\nMUSIC: UNDER\nFVO: Nobody waits.\n": [
        (FERRY, None, "GULLS", ""), (NOBODY, None, "UNDER", "FVO"),
    ],
    "FADE IN:\n\nEXT. HARBOUR - DAWN\n\nGulls. A ferry.\n\nNARRATOR (V.O.)\nThe ferry leaves.\n\nCUT TO:\n\n"
    "NARRATOR (V.O.)\n"
    "Nobody waits.\n": [
        (FERRY, None, "FADE IN\nEXT. HARBOUR - DAWN\nGulls. A ferry.", "NARRATOR"), (NOBODY, None, "CUT TO", "NARRATOR"),
    ],
    "NARRATOR\tThe ferry leaves.\nNARRATOR\tNobody waits.\n": NAMED,
    "NARRATOR - The ferry leaves.\nNARRATOR - Nobody waits.\n": NAMED,
    "[NARRATOR] The ferry leaves.\n[NARRATOR] Nobody waits.\n": NAMED,
    "**NARRATOR:** The ferry leaves.\n\n**NARRATOR:** Nobody waits.\n": NAMED,
    # Times
    "01 00:00:12 – 00:00:18 The ferry leaves.\n02 00:00:20 – 00:00:24 Nobody waits.\n"
    "03 00:00:30 – 00:00:34 Salt remains.\n": [
        *TIMED, (SALT, (30, 34), "", ""),
    ],
    "The Salt Road\nVersion 3\n\nScene 1: the quay\n\n01 00:00:12 – 00:00:18 The ferry leaves.\nSOT ANNA: I live here.\n\n"
    "Scene 2: the bell\n\n02 00:00:20 – 00:00:24 Nobody waits.\n\n- END -\n": [
        (FERRY, (12, 18), "Scene 1: the quay", ""), (NOBODY, (20, 24), "Scene 2: the bell", ""),
    ],
    "The ferry leaves. (0:12-0:18)\nNobody waits. (0:20-0:24)\n": TIMED,
    "0.12 - 0.18  The ferry leaves.\n0.20 - 0.24  Nobody waits.\n": TIMED,
    "0'12'' The ferry leaves.\n0'20'' Nobody waits.\n0'26'' Salt remains for very long.\n": [
        (FERRY, (12, 20), "", ""), (NOBODY, (20, 26), "", ""), ("Salt remains for very long.", (26, 27.8), "", ""),
    ],
    "TC IN 10:00:12:00\nTC OUT 10:00:18:00\nThe ferry leaves.\n\nTC IN 10:00:20:00\nTC OUT 10:00:24:00\n"
    "Nobody waits.\n": TIMED,
    "CUE 1  IN: 10:00:12:00  OUT: 10:00:18:00  DUR: 06:00\nThe ferry leaves.\n\nCUE 2  IN: 10:00:20:00  OUT: 10:00:24:00\n"
    "Nobody waits.\n": TIMED,
    "[ti:Salt]\n[00:12.00]The ferry leaves.\n[00:20.00]Nobody waits.\n[00:24.00]Salt remains for very long.\n": [
        (FERRY, (12, 20), "", ""), (NOBODY, (20, 24), "", ""), ("Salt remains for very long.", (24, 25.8), "", ""),
    ],
    # Web pages
    "<!DOCTYPE html>\n<html><head><title>Salt</title><style>p {}</style></head>\n<body>\n<h1>Salt</h1>\n<h2>Quay</h2>\n"
    "<p>The ferry\n leaves.</p>\n<h2>Bell</h2><p>Nobody waits. <del>Gone.</del></p><script>'<p>x'</script></body></html>": [
        (FERRY, None, "Quay", ""), (NOBODY, None, "Bell", ""),
    ],
    "<html><body><div style='display: none'>Nobody sees it.</div><table>\n<tr>\n<th>TC</th> <th>Picture</th> <th>Narration"
    "</th></tr>\n<tr><td>00:12</td> <td>quay</td> <td><p>The ferry leaves.</p></td></tr><tr><td>00:18<td>bell"
    "<td>Nobody waits.<tr><td colspan=2>00:24</td><td>ENDS</td></tr></table></body></html>": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""),
    ],
    "<html><p><b>NARRATOR:</b> The ferry leaves.<p><b>NARRATOR:</b> Nobody waits.": NAMED,
    # Cells
    "Time,Narrator,Expert\n00:12,The ferry leaves.,\n00:18,,Nobody waits.\n00:24,Salt remains for very long.,\n": [
        (FERRY, (12, 18), "", "Narrator"), (NOBODY, (18, 24), "", "Expert"),
        ("Salt remains for very long.", (24, 25.8), "", "Narrator"),
    ],
    "1 / 00:12 / The ferry leaves.\n2 / 00:18 / Nobody waits.\n3 / 00:24 / Salt remains for very long.\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""), ("Salt remains for very long.", (24, 25.8), "", ""),
    ],
    "Shot 1 | Quay | The ferry leaves.\nShot 2 | Bell | Nobody waits.\nShot 3 | Sea | Now salt remains.\n": [
        *PLAIN[:2], ("Now salt remains.", None, "", ""),
    ],
    "One / two / three and go.\nFour / five / six and go.\nSeven / eight / nine and go.\n": [
        ("One / two / three and go.", None, "", ""), ("Four / five / six and go.", None, "", ""),
        ("Seven / eight / nine and go.", None, "", ""),
    ],
    "SALT\nClient: Museum | Length: 90 sec\n\nPARAGRAPH 1\nThe ferry leaves.\n\nPARAGRAPH 2\nNobody waits.\n": [
        (FERRY, None, "PARAGRAPH 1", ""), (NOBODY, None, "PARAGRAPH 2", ""),
    ],
    # Letters, headings and what hangs below names
    "Hi Mira,\n\nhere it is, at last!\n\n---\n\nThe ferry leaves.\n\nNobody waits.\n\n---\n\nBest,\nJo\n": PLAIN[:2],
    "Salt\n====\n\nThe quay\n--------\n\nThe ferry leaves.\n\nThe bell\n--------\nNobody waits.\n": [
        (FERRY, None, "The quay", ""), (NOBODY, None, "The bell", ""),
    ],
    "SÉQUENCE 1 – EXT. QUAI – NUIT\n\nThe ferry leaves.\n\nSÉQUENCE 2 – INT. BAR\n\nNobody waits.\n": [
        (FERRY, None, "SÉQUENCE 1 – EXT. QUAI – NUIT", ""), (NOBODY, None, "SÉQUENCE 2 – INT. BAR", ""),
    ],
    "SEQ 1 – QUAY\n\n00:12\nThe ferry leaves.\n\nSEQ 2 – BELL\n\n00:18\nNobody waits.\n\n00:24\nENDS\n": [
        (FERRY, (12, 18), "SEQ 1 – QUAY", ""), (NOBODY, (18, 24), "SEQ 2 – BELL", ""),
    ],
    "TITLE SEQUENCE\n\nThe ferry leaves.\n\nACT ONE\n\nNobody waits.\n\nSalt remains.\n\nEND OF ACT ONE\n": [
        (FERRY, None, "TITLE SEQUENCE", ""), (NOBODY, None, "ACT ONE", ""), (SALT, None, "END OF ACT ONE", ""),
    ],
    "NARRATOR: The ferry leaves.\n          Nobody waits.\n\nANNA:     Salt remains.\n\nNARRATOR: Nobody waits.\n": [
        (f"{FERRY} {NOBODY}", None, "", "NARRATOR"), (SALT, None, "", "ANNA"), (NOBODY, None, "", "NARRATOR"),
    ],
    "Ep. 4 – Salt\nNarrator: M. Reader\n\n00:12 The ferry leaves.\n00:18 Nobody waits.\n00:24 ENDS\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""),
    ],
    "Ep. 4 – Salt\nNarrator: M. Reader\n\n00:12\nANNA: The ferry leaves.\n\n00:18\nANNA: Nobody waits.\n\n00:24\nENDS\n": [
        (FERRY, (12, 18), "", "ANNA"), (NOBODY, (18, 24), "", "ANNA"),
    ],
    "[001] The ferry leaves.\n[002] Nobody waits.\n[003] Salt remains.\n": PLAIN,
    "Track 01 | The ferry leaves.\nTrack 02 | Nobody waits.\nTrack 03 | Salt remains.\n": PLAIN,
    "Slide 1\nOn screen: the quay\nVoice: The ferry leaves.\nSlide 2\nOn screen: a bell\nVoice: Nobody waits.\n": [
        (FERRY, None, "Slide 1\nthe quay", ""), (NOBODY, None, "Slide 2\na bell", ""),
    ],
    # Subtitles
    "1\n00:00:12,000 --> 00:00:18,000\n[NARRATOR]\nThe ferry leaves.\n\n2\n00:00:20,000 --> 00:00:24,000\n"
    "ANNA: Nobody waits.\n": [(FERRY, (12, 18), "", "NARRATOR"), (NOBODY, (20, 24), "", "ANNA")],
    "1\n00:00:12,000 --> 00:00:18,000\nThe ferry leaves.\n2\n00:00:20,000 --> 00:00:24,000\nNobody waits.\n": TIMED,
    "WEBVTT\n\nNOTE seen\n\n00:12.000 --> 00:18.000 line:0\nThe ferry leaves.\n\n00:20.000 --> 00:24.000\n"
    "Nobody waits.\n": [
        (FERRY, (12, 18), "seen", ""), TIMED[1],
    ],
    '<?xml version="1.0"?>\n'
    '<tt xmlns="http://www.w3.org/ns/ttml" xmlns:ttp="http://www.w3.org/ns/ttml#parameter" ttp:tickRate="10">'
    '<body><div><p begin="120t" end="00:00:18.000">The <span>ferry</span><br/>leaves.</p><p begin="20s" '
    'dur="4s">Nobody waits.</p>'
    "</div></body></tt>": TIMED,
    '{"text": "x", "segments": [{"start": 12.0, "end": 18, "text": " The ferry leaves."}, {"start": 20, "end": 24, "text": '
    '"Nobody waits."}]}': TIMED,
    '[{"startMs": 12000, "endMs": 18000, "text": "The ferry leaves."}, {"startMs": 20000, "endMs": 24000, '
    '"text": "Nobody waits."}]':
    TIMED,
    "0s: The ferry leaves.\n9s: Nobody waits.\n18s: Salt remains for very long.\n": [
        (FERRY, (0, 9), "", ""), (NOBODY, (9, 18), "", ""), ("Salt remains for very long.", (18, 19.8), "", ""),
    ],
    # Names of lines, and marks of other programs
    "S01_L001: The ferry leaves.\nS01_L002: Nobody waits.\nS01_L003: Salt remains.\n": PLAIN,
    "vo_001.wav - The ferry leaves.\nvo_002.wav - Nobody waits.\nvo_003.wav - Salt remains.\n": [
        (text, None, f"vo_00{n}.wav", "") for n, (text, *_) in enumerate(PLAIN, start=1)
    ],
    "welcome.wav – The ferry leaves.\nmenu_main.wav – Nobody waits.\nclosed.wav – Salt remains.\n": [
        (PLAIN[0][0], None, "welcome.wav", ""), (PLAIN[1][0], None, "menu_main.wav", ""),
        (PLAIN[2][0], None, "closed.wav", ""),
    ],
    "Shot 1 (0:00-0:06)\n[Wide: the quay]\nVO: The ferry leaves.\n\nShot 2 (0:06-0:14)\n[Boats]\nVO: Nobody waits.\n": [
        ("The ferry leaves.", (0.0, 6.0), "Shot 1\nWide: the quay", ""),
        ("Nobody waits.", (6.0, 14.0), "Shot 2\nBoats", ""),
    ],
    "01 The ferry leaves.\n\n02 Nobody waits.\n\n03 Salt remains.\n": PLAIN,
    "T1 00:02 The ferry leaves.\nT2 00:08 Nobody waits.\nT3 00:16 Salt remains.\n": [
        ("The ferry leaves.", (2.0, 8.0), "", ""), ("Nobody waits.", (8.0, 16.0), "", ""),
        ("Salt remains.", (16.0, 16.88), "", ""),
    ],
    "10:00:02:00  The ferry leaves.\n10:00:08:00  Nobody waits.\n10:00:16:00  ENDS\n": [
        ("The ferry leaves.", (2.0, 8.0), "", ""), ("Nobody waits.", (8.0, 16.0), "", ""),
    ],
    "In,Out,Text\n10:00:02:00,10:00:06:00,The ferry leaves, and nobody waits.\n10:00:08:00,10:00:12:00,Salt remains.\n": [
        ("The ferry leaves, and nobody waits.", (2.0, 6.0), "", ""), ("Salt remains.", (8.0, 12.0), "", ""),
    ],
    "The ferry leaves. (quick)\n\nNobody waits (for now).\n\nSalt remains. (let it land)\n": [
        ("The ferry leaves.", None, "quick", ""), ("Nobody waits (for now).", None, "", ""),
        ("Salt remains.", None, "let it land", ""),
    ],
    ":00 VO: The ferry leaves.\n:05 VO: Nobody waits.\n:12 VO: Salt remains.\n": [
        ("The ferry leaves.", (0.0, 5.0), "", ""), ("Nobody waits.", (5.0, 12.0), "", ""),
        ("Salt remains.", (12.0, 13.12), "", ""),
    ],
    "Slide 3\nAudio script: The ferry leaves.\nOn-screen text: Welcome\n\nSlide 4\nAudio script: Nobody waits.\n": [
        ("The ferry leaves.", None, "Slide 3\nWelcome", ""), ("Nobody waits.", None, "Slide 4", ""),
    ],
    "PART ONE: THE HARBOUR\n\nThe ferry leaves.\n\nPART TWO: THE BOATS\n\nNobody waits.\n": [
        ("The ferry leaves.", None, "PART ONE: THE HARBOUR", ""), ("Nobody waits.", None, "PART TWO: THE BOATS", ""),
    ],
    "10:00:02;10 - 10:00:06;00\nThe ferry leaves.\n\n10:00:08;00 - 10:00:12;15\nNobody waits.\n": [
        ("The ferry leaves.", (2.4, 6.0), "", ""), ("Nobody waits.", (8.0, 12.6), "", ""),
    ],
    "COMM 1 (00:12 – 00:18)\nThe ferry leaves.\n\nCOMM 2 (00:20 – 00:24)\nNobody waits.\n": [
        ("The ferry leaves.", (12.0, 18.0), "", ""), ("Nobody waits.", (20.0, 24.0), "", ""),
    ],
    "LOCUTOR: La barca sale.\nEN PANTALLA: El puerto\nLOCUTOR: Nadie espera.\n": [
        ("La barca sale.", None, "", "LOCUTOR"), ("Nadie espera.", None, "El puerto", "LOCUTOR"),
    ],
    "vo_001\tThe ferry leaves.\nvo_002\tNobody waits there.\nvo_003\tSalt remains for long.\n": [
        PLAIN[0], ("Nobody waits there.", None, "", ""), ("Salt remains for long.", None, "", ""),
    ],
    "a) The ferry leaves.\nb) Nobody waits.\nc) Salt remains.\n": PLAIN,
    "1914 - The ferry leaves.\n1918 - Nobody waits.\n1939 - Salt remains.\n": [
        ("1914 - The ferry leaves.", None, "", ""), ("1918 - Nobody waits.", None, "", ""),
        ("1939 - Salt remains.", None, "", ""),
    ],
    "I. The ferry leaves.\nII. Nobody waits.\nIII. Salt remains.\n": PLAIN,
    "1.1 The ferry leaves.\n1.2 Nobody waits.\n2.1 Salt remains.\n": PLAIN,
    "<p>The ferry leaves.</p>\n<p>Nobody waits.<br>Salt remains.</p>\n": PLAIN,
    "// draft\nThe ferry leaves.\n# The end\nNobody waits.\nSalt remains.\n": [
        (FERRY, None, "draft", ""), (NOBODY, None, "The end", ""), PLAIN[2],
    ],
    "The Ferry\nThe ferry leaves.\n\nThe People\nNobody waits.\n\nThe Sea\nSalt remains.\n": [
        (FERRY, None, "The Ferry", ""), (NOBODY, None, "The People", ""), (SALT, None, "The Sea", ""),
    ],
    "Wide shot of it    The ferry leaves.\nThe same, closer   Nobody waits there.\n"
    "A bowl on a table    Salt remains for long.\n": [
        (FERRY, None, "", ""), ("Nobody waits there.", None, "", ""), ("Salt remains for long.", None, "", ""),
    ],
    # Tables
    "Filename,Prompt\na.wav,The ferry leaves.\nb.wav,Nobody waits.\nc.wav,Salt remains.\n": PLAIN,
    "Wo,Was\nhere,The ferry leaves.\nthere,Nobody really waits.\nthere,Salt always remains.\n": [
        (FERRY, None, "", ""), ("Nobody really waits.", None, "", ""), ("Salt always remains.", None, "", ""),
    ],
    "Name,Description,In,Out,Type\nVO 1,The ferry leaves.,00:00:12:00,00:00:18:00,Comment\n"
    "VO 2,Nobody waits there.,00:00:20:00,00:00:24:00,Comment\n": [TIMED[0], ("Nobody waits there.", (20, 24), "", "")],
    "Time,Narration\n0:12,The ferry leaves.\n0:18,n/a\n0:20,Nobody waits.\n0:24,(no narration)\n": TIMED,
    'TC,Narration\n"10:00:12:00\n10:00:18:00",The ferry leaves.\n"10:00:20:00\n10:00:24:00",Nobody waits.\n': TIMED,
    "start_ms,end_ms,text\n12000,18000,The ferry leaves.\n20000,24000,Nobody waits.\n": TIMED,
    "Narrator,The ferry leaves.,calm\nNarrator,Nobody waits.,calm\n": [
        (FERRY, None, "", "Narrator"), (NOBODY, None, "", "Narrator"),
    ],
    "No;Text;In;Out\n1;The ferry leaves.;0:12;0:18\n2;Nobody waits.;0:20;0:24\nTotal;2 lines, 5 words;;\n": TIMED,
    "Line,Text,Words,Est. Time\n1,The ferry leaves.,3,0:05\n2,Nobody waits.,2,0:04\n3,Salt remains.,2,0:05\n": PLAIN,
    # What stands below, beside and among the lines
    "NARRATOR: The ferry leaves.\n(0:12-0:18)\n\nNARRATOR: Nobody waits.\n(0:20-0:24)\n": [
        (FERRY, (12, 18), "", "NARRATOR"), (NOBODY, (20, 24), "", "NARRATOR"),
    ],
    "#1 [TC 0:12 - 0:18] VO: The ferry leaves.\n#2 [TC 0:20 - 0:24] VO: Nobody waits.\n": TIMED,
    "*** 0:12-0:18 ***\nThe ferry leaves.\n*** 0:20-0:24 ***\nNobody waits.\n": TIMED,
    "Screen 1.1\nOn-screen text: Ferries\nNarration: The ferry leaves.\nGraphics: a boat\n\n"
    "Screen 1.2\nOn-screen text: Bells\nNarration: Nobody waits.\nGraphics: a bell\n": [
        (FERRY, None, "Screen 1.1\nFerries\na boat", ""), (NOBODY, None, "Screen 1.2\nBells\na bell", ""),
    ],
    "0:12-0:18\nIN CUE: ... door shuts\nThe ferry leaves.\n\n0:20-0:24\nIN CUE: ... goodbye\nNobody waits.\n": [
        (FERRY, (12, 18), "... door shuts", ""), (NOBODY, (20, 24), "... goodbye", ""),
    ],
    "[HOST]: The ferry leaves.\n[GUEST]: Nobody waits.\n": [(FERRY, None, "", "HOST"), (NOBODY, None, "", "GUEST")],
    "0:12 - Anna: The ferry leaves.\n0:18 - Bert: Nobody waits.\n0:24-0:28 - Anna: Salt remains.\n": [
        (FERRY, (12, 18), "", "Anna"), (NOBODY, (18, 24), "", "Bert"), (SALT, (24, 28), "", "Anna"),
    ],
    "0:12-0:18 旁白:渡船离开。\n0:20-0:24 旁白:没有人等。\n": [
        ("渡船离开。", (12, 18), "", ""), ("没有人等。", (20, 24), "", ""),
    ],
    "VOCE F.C.: The ferry leaves.\n\nSONORA MARIA: I live here.\n\nVOCE F.C.: Nobody waits.\n": PLAIN[:2],
    "1. The ferry leaves.\n   ALT: The boat leaves.\n2. Nobody waits.\n   ALT: No one waits.\n": [
        (FERRY, None, "or: The boat leaves.", ""), (NOBODY, None, "or: No one waits.", ""),
    ],
    "EN: The ferry leaves.\nDE: Die Fähre fährt ab.\n\nEN: Nobody waits.\nDE: Niemand wartet.\n": PLAIN[:2],
    "1 The ferry leaves before the sun is\n2 over the wall.\n3 Nobody waits for it there, and\n4 nobody ever has.\n": [
        ("The ferry leaves before the sun is over the wall.", None, "", ""),
        ("Nobody waits for it there, and nobody ever has.", None, "", ""),
    ],
    "Hi Anna,\n\nplease find the script below.\n\nThanks,\nBert\n\n---\n\nThe ferry leaves.\n\nNobody waits.\n\n"
    "Salt remains.\n\n---\n\nBest regards\nBert\n": PLAIN,
    '{"in": 12.0, "out": 18.0, "text": "The ferry leaves."}\n{"in": 20.0, "out": 24.0, "text": "Nobody waits."}\n': TIMED,
    # What is said of the words, or to those who build around them
    "Slide 1 of 2: Boats\nVoiceover: The ferry leaves.\nDeveloper notes: fade\n\n"
    "Slide 2 of 2: Bells\nVoiceover: Nobody waits.\nDeveloper notes: none\n": [
        (FERRY, None, "Slide 1 of 2: Boats\nfade", ""), (NOBODY, None, "Slide 2 of 2: Bells\nnone", ""),
    ],
    "The ferry leaves. (3 words)\n\nNobody waits. (2 words)\n\nSalt remains. (2 words)\n\nTotal: 7 words\n": PLAIN,
    "Stop 101 – The Pier\nDuration: 1:30\n\nThe ferry leaves.\n\nStop 102 – The Bell\nDuration: 0:45\n\nNobody waits.\n": [
        (FERRY, None, "Stop 101 – The Pier", ""), (NOBODY, None, "Stop 102 – The Bell", ""),
    ],
    "The ferry leaves.\n\nNobody[a] waits.\n\nSalt remains.\n\n[a]Nobody at all?\n": [
        PLAIN[0], (NOBODY, None, "Nobody at all?", ""), PLAIN[2],
    ],
    "The ferry leaves.\n\nNobody waits.\n\nSalt remains.\n\nPronunciation guide:\nferry: FAIR-ee\nKeough: KYO\n": [
        (FERRY, None, "“ferry” is said FAIR-ee", ""), *PLAIN[1:],
    ],
    "LINE 1 (3 takes)\nThe ferry leaves.\n\nLINE 2 (softer)\nNobody waits.\n": [
        (FERRY, None, "3 takes", ""), (NOBODY, None, "softer", ""),
    ],
    "🎬 Scene 1 – pier\n🎙️ VO: The ferry leaves.\n\n🎬 Scene 2 – bell\n🎙️ VO: Nobody waits.\n": [
        (FERRY, None, "Scene 1 – pier", ""), (NOBODY, None, "Scene 2 – bell", ""),
    ],
    "HOOK:\nThe ferry leaves.\n\nBODY:\nNobody waits.\n\nCALL TO ACTION:\nSalt remains.\n": [
        (FERRY, None, "HOOK", ""), (NOBODY, None, "BODY", ""), (SALT, None, "CALL TO ACTION", ""),
    ],
    "Intro (0:12 - 0:18)\nThe ferry leaves.\n\nOutro (0:20 - 0:24)\nNobody waits.\n": [
        (FERRY, (12, 18), "Intro", ""), (NOBODY, (20, 24), "Outro", ""),
    ],
    "Title card: FERRIES\n\nThe ferry leaves.\n\nLower third: Anna Vale\n\nNobody waits.\n": [
        (FERRY, None, "FERRIES", ""), (NOBODY, None, "Anna Vale", ""),
    ],
    "Host: The ferry leaves.\n\nOutro music (5 sec)\n\nHost: Nobody waits.\n": [
        (FERRY, None, "", "Host"), (NOBODY, None, "Outro music (5 sec)", "Host"),
    ],
    "SHOT 1: The pier.\nVO: The ferry leaves.\n\nSHOT 2: The bell.\nVO: Nobody waits.\n": [
        (FERRY, None, "The pier.", ""), (NOBODY, None, "The bell.", ""),
    ],
    '**The ferry leaves.**\n<break time="500ms"/>\n_Nobody waits._\n\nSalt remains.\n': [
        PLAIN[0], (NOBODY, None, 'break time="500ms"/', ""), PLAIN[2],
    ],
    "VO1 The ferry leaves.\n\nVO2 Nobody waits.\n\nVO3 Salt remains.\n": PLAIN,
    "[NARRATOR] The ferry leaves.\n[MIRA] Nobody waits.\n[NARRATOR] Salt remains.\n": [
        (FERRY, None, "", "NARRATOR"), (NOBODY, None, "", "MIRA"), (SALT, None, "", "NARRATOR"),
    ],
    "12.0 18.0 The ferry leaves.\n20.0 24.0 Nobody waits.\n": TIMED,
    "0:00:12 --> 0:00:18  The ferry leaves.\n0:00:20 --> 0:00:24  Nobody waits.\n": TIMED,
    "At 0:12: The ferry leaves.\nAt 0:18: Nobody waits.\n0:24-0:28: Salt remains.\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""), (SALT, (24, 28), "", ""),
    ],
    "(:12) The ferry leaves.\n(:18) Nobody waits.\n(:24) Salt remains.\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""), (SALT, (24, 24.88), "", ""),
    ],
    "Tone: warm. Pace: slow.\n\nThe ferry leaves.\n\nNobody waits.\n\nSalt remains.\n": [
        (FERRY, None, "Tone: warm. Pace: slow.", ""), *PLAIN[1:],
    ],
    "Slide 1\nSpeaker notes: The ferry leaves.\n\nSlide 2\nSpeaker notes: Nobody waits.\n": [
        (FERRY, None, "Slide 1", ""), (NOBODY, None, "Slide 2", ""),
    ],
    "--- Slide 1 ---\nThe ferry leaves.\n--- Slide 2 ---\nNobody waits.\n--- Slide 3 ---\nSalt remains.\n": [
        (FERRY, None, "Slide 1", ""), (NOBODY, None, "Slide 2", ""), (SALT, None, "Slide 3", ""),
    ],
    "1/3\nThe ferry leaves.\n\n2/3\nNobody waits.\n\n3/3\nSalt remains.\n": PLAIN,
    "      MIRA\n(whispering)\nThe ferry leaves.\n\n      TOVE\nNobody waits.\n\n      MIRA\nSalt remains.\n": [
        (FERRY, None, "whispering", "MIRA"), (NOBODY, None, "", "TOVE"), (SALT, None, "", "MIRA"),
    ],
    "MARKER 1  0:12-0:18  The ferry leaves.\nMARKER 2  0:20-0:24  Nobody waits.\n"
    "MARKER 3  0:30-0:34  Salt remains.\n": [*TIMED, (SALT, (30, 34), "", "")],
    "Act 1\n\nNarrator: The ferry leaves.\n\nMira: Nobody waits.\n\nAct 2\n\nNarrator: Salt remains.\n\nEnd of play.\n": [
        (FERRY, None, "Act 1", "Narrator"), (NOBODY, None, "", "Mira"), (SALT, None, "Act 2", "Narrator"),
    ],
    "Script for “The Pier”\nPrepared for: A Bakery\n\nThe ferry leaves.\n\nNobody waits.\n\nWord count: 5\n": PLAIN[:2],
    "VO #1 – 0:12-0:18\nThe ferry leaves.\n\nVO #2 – 0:20-0:24\nNobody waits.\n": TIMED,
    "Who,Copy,Take\nANNCR,The ferry leaves.,1\nSFX,Door opens.,2\nANNCR,Nobody waits.,3\n": [
        (FERRY, None, "", "ANNCR"), (NOBODY, None, "SFX: Door opens.", "ANNCR"),
    ],
    "Who,Copy,Take\nANNCR,The ferry leaves.,1\nANNCR,Nobody waits.,2\nMUSIC,Up and out.,3\n": [
        (FERRY, None, "", "ANNCR"), (NOBODY, None, "MUSIC: Up and out.", "ANNCR"),
    ],
    "0:12\tMIRA\tThe ferry leaves.\n0:18\tTOVE\tNobody waits.\n0:24-0:28\tMIRA\tSalt remains.\n": [
        (FERRY, (12, 18), "", "MIRA"), (NOBODY, (18, 24), "", "TOVE"), (SALT, (24, 28), "", "MIRA"),
    ],
    # Names and times
    "0:12  MARIA (off)  The ferry leaves.\n0:18  JONAS  Nobody waits.\n0:24-0:28  MARIA  Salt remains.\n": [
        (FERRY, (12, 18), "", "MARIA"), (NOBODY, (18, 24), "", "JONAS"), (SALT, (24, 28), "", "MARIA"),
    ],
    "VO1: The ferry leaves.\nVO2: Nobody waits.\nVO1: Salt remains.\n": [
        (FERRY, None, "", "VO1"), (NOBODY, None, "", "VO2"), (SALT, None, "", "VO1"),
    ],
    "VO: The ferry leaves.\n\nLEGAL: Terms apply.\n\nVO: Nobody waits.\n": [
        PLAIN[0], ("Terms apply.", None, "", "LEGAL"), PLAIN[1],
    ],
    "SCENE 1. EXT. HARBOUR. DAWN\nNARRATOR\nThe ferry leaves.\n\nSCENE 2. INT. TOWER. DAY\nNARRATOR\nNobody waits.\n": [
        (FERRY, None, "SCENE 1. EXT. HARBOUR. DAWN", "NARRATOR"), (NOBODY, None, "SCENE 2. INT. TOWER. DAY", "NARRATOR"),
    ],
    "(READ)\nThe ferry leaves.\n(SOT :15)\nI live here.\n(READ)\nNobody waits.\n": [
        (FERRY, None, "READ", ""), (NOBODY, None, "READ", ""),
    ],
    "12s\nThe ferry leaves.\n\n18s\nNobody waits.\n\n0:24-0:28\nSalt remains.\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""), (SALT, (24, 28), "", ""),
    ],
    "00:00:12:00 00:00:18:00 The ferry leaves.\n00:00:20:00 00:00:24:00 Nobody waits.\n": TIMED,
    "1\n0:00:12.00 -> 0:00:18.00\nThe ferry leaves.\n\n2\n0:00:20.00 -> 0:00:24.00\n- Nobody\n- waits.\n": TIMED,
    "1\n00:00:12:00 - 00:00:18:00\nThe ferry leaves.\n2\n00:00:20:00 - 00:00:24:00\nNobody waits.\n": TIMED,
    "@0:12-0:18 The ferry leaves. //\n@0:20-0:24 Nobody waits. //\n": TIMED,
    "0:12-0:18\nHarbour, wide\nThe ferry leaves.\n\n0:20-0:24\nThe bell\nNobody waits.\n": [
        (FERRY, (12, 18), "Harbour, wide", ""), (NOBODY, (20, 24), "The bell", ""),
    ],
    "PART 1\n\n1. The ferry leaves.\n2. Nobody waits.\n\nPART 2\n\n1. Salt remains.\n2. Nobody waits.\n": [
        (FERRY, None, "PART 1", ""), PLAIN[1], (SALT, None, "PART 2", ""), PLAIN[1],
    ],
    # News, plays, lists
    "SLUG: FERRY\nREPORTER: Mira Sohl\nRUNS: 1:30\n\n(TRACK)\nThe ferry leaves.\n\n(SOT - Ana Verd, water warden :08)\n"
    "\"I count.\"\n\n(TRACK)\nNobody waits.\n": [(FERRY, None, "TRACK", ""), (NOBODY, None, "TRACK", "")],
    "MIRA (62) sits behind glass.\n\n              NARRATOR\n      The ferry\n      leaves.\n\nA dog barks.\n\n"
    "              NARRATOR\n           (softer)\n      Nobody waits.\n": [
        (FERRY, None, "MIRA (62) sits behind glass", "NARRATOR"), (NOBODY, None, "A dog barks\nsofter", "NARRATOR"),
    ],
    "NARRATOR (V.O.)\nThe ferry leaves.\n\nNARRATOR (V.O.) (CONT'D)\nNobody waits.\n": NAMED,
    "• The ferry leaves.\n   – show the ferry\n• Nobody waits.\n   – show the bell\n": [
        (FERRY, None, "show the ferry", ""), (NOBODY, None, "show the bell", ""),
    ],
    "   1   The ferry\n       leaves.\n\n   2   Nobody waits.\n\n   3   Salt remains.\n": PLAIN,
    "Announcement 1 - delay\nThe ferry leaves.\n\nAnnouncement 2 - bell\nNobody waits.\n": [
        (FERRY, None, "Announcement 1 - delay", ""), (NOBODY, None, "Announcement 2 - bell", ""),
    ],
    "Read 1\nThe ferry leaves.\n\nRead 2 (shorter)\nNobody waits.\n": [
        (FERRY, None, "Read 1", ""), (NOBODY, None, "Read 2 (shorter)", ""),
    ],
    "Shot 1: The ferry leaves.\nShot 2: -\nShot 3: Nobody waits.\n": PLAIN[:2],
    "Hook (12-18s): The ferry leaves.\nTwist (20-24s): Nobody waits.\nCTA (30 to 34 s): Salt remains.\n": [
        (FERRY, (12, 18), "Hook", ""), (NOBODY, (20, 24), "Twist", ""), (SALT, (30, 34), "CTA", ""),
    ],
    "Scene 1 – Quay, dawn (0:12–0:18)\nThe ferry leaves.\n\nScene 2 – Bell (0:20–0:24)\nNobody waits.\n": [
        (FERRY, (12, 18), "Scene 1 – Quay, dawn", ""), (NOBODY, (20, 24), "Scene 2 – Bell", ""),
    ],
    "NARRATION 1 [00:12]\nThe ferry leaves.\n\nINTERVIEW 1 [00:18] – Host\n\"I never locked it.\"\n\n"
    "NARRATION 2 [00:24]\nNobody waits for the ferry.\n": [
        (FERRY, (12, 18), "", ""), ("Nobody waits for the ferry.", (24, 25.8), "", ""),
    ],
    "(0:12-0:18) The ferry leaves.\n(0:18-0:20) -- natural sound, door --\n(0:20-0:24) Nobody waits.\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (20, 24), "natural sound, door", ""),
    ],
    "The ferry leaves. /PAUSE/ Nobody waits.\n\nSalt remains. /PAUSE 2/ Nobody waits.\n": [
        (f"{FERRY} {NOBODY}", None, "PAUSE after “leaves”", ""), (f"{SALT} {NOBODY}", None, "PAUSE 2 after “remains”", ""),
    ],
    "The pier – takes in ( )\n\nThe ferry leaves. (x2)\n\nNobody waits. (x3)\n": [
        (FERRY, None, "x2", ""), (NOBODY, None, "x3", ""),
    ],
    "Re: words\n\nHi Mira,\n\nfinal text as discussed:\n\n1) The ferry leaves.\n2) Nobody waits.\n3) Salt remains.\n\n"
    "Deadline is Friday.\n\nBest\nOtto\n": PLAIN,
    "| Time | Picture | Narration |\n|---|---|---|\n| 0:12 | quay | NARR: The ferry leaves.<br>MIRA: Nobody waits. |\n"
    "| 0:18 | bell | MUSIC UP<br>NARR: Salt remains. |\n| 0:24 | | END |\n": [
        (FERRY, (12, 15.28), "", "NARR"), (NOBODY, (15.28, 18), "", "MIRA"), (SALT, (18, 24), "MUSIC UP", "NARR"),
    ],
    "Part,Script,Notes\nIntro (0:12-0:18),The ferry leaves.,calm\nEnd (0:20-0:24),Nobody waits.,\n": [
        (FERRY, (12, 18), "calm", ""), (NOBODY, (20, 24), "", ""),
    ],
    "in,out,text,remarks\n00:00:12.00,00:00:18.00,The ferry leaves.,calm\n00:00:18.00,00:00:20.00,I live here.,O-Ton\n"
    "00:00:20.12,00:00:24.00,Nobody waits.,\n": [(FERRY, (12, 18), "calm", ""), (NOBODY, (20.48, 24), "", "")],
    '{"scenes": [{"cues": [{"start": "0:12", "end": "0:18", "text": "The ferry leaves."}]},'
    ' {"cues": [{"start": "0:20", "end": "0:24", "text": "Nobody waits."}]}]}': TIMED,
    "WEBVTT\n\n00:12.000 --> 00:14.000\nANNA: The ferry leaves.\n\n00:14.000 --> 00:16.000\nNobody waits.\n\n"
    "00:16.000 --> 00:18.000\nBEN: Salt remains.\n\n00:18.000 --> 00:20.000\nANNA: Nobody waits.\n": [
        (FERRY, (12, 14), "", "ANNA"), (NOBODY, (14, 16), "", "ANNA"), (SALT, (16, 18), "", "BEN"),
        (NOBODY, (18, 20), "", "ANNA"),
    ],
    # Columns without marks, brackets in a row, letters without capitals
    "THE PIER\nby M. Sohl\n\n1  INTRO\nVO   The ferry\n     leaves.\n\n2  BELL\nVO   Nobody waits.\n\n"
    "3  END\nVO   Salt remains.\n": [
        (FERRY, None, "1 INTRO", ""), (NOBODY, None, "2 BELL", ""), (SALT, None, "3 END", ""),
    ],
    "تيمكود 00:12\nقبل أن يصبح البستان.\n\nتيمكود 00:20\nأربعون عائلة.\n": [
        ("قبل أن يصبح البستان.", (12, 20), "", ""), ("أربعون عائلة.", (20, 20.88), "", ""),
    ],
    "[SC 1] [0:12-0:18] [VO] The ferry leaves.\n[SC 2] [0:18-0:20] [no VO]\n[SC 3] [0:20-0:24] [VO] Nobody waits.\n": [
        (FERRY, (12, 18), "SC 1", ""), (NOBODY, (20, 24), "no VO\nSC 2\nSC 3", ""),
    ],
    "WEBVTT\n\n00:12.000 --> 00:14.000\n(ANNA)\nThe ferry leaves.\n\n00:14.000 --> 00:16.000\n(BEN)\nNobody waits.\n\n"
    "00:16.000 --> 00:18.000\n(ANNA)\nSalt remains.\n": [
        (FERRY, (12, 14), "", "ANNA"), (NOBODY, (14, 16), "", "BEN"), (SALT, (16, 18), "", "ANNA"),
    ],
    "Slide 1: The quay\nThe ferry leaves.\n\nSlide 2: Questions?\n–\n\nSlide 3: The bell\nNobody waits.\n": [
        (FERRY, None, "Slide 1: The quay", ""), (NOBODY, None, "Slide 2: Questions?\nSlide 3: The bell", ""),
    ],
    "Czas: ok. 1 min.\n\n00:12 – 00:18\nThe ferry leaves.\n\n00:20 – 00:24\nNobody waits.\n\n"
    "Pronunciation: ferry = FEH-ree\n": [(FERRY, (12, 18), "“ferry” is said FEH-ree", ""), (NOBODY, (20, 24), "", "")],
    "| | | |\n|---|---|---|\n| Scene 1 | | |\n| Visual | quay | a.jpg |\n| VO | The ferry leaves. | |\n"
    "| Scene 2 | | |\n| Visual | bell | b.jpg |\n| VO | Nobody waits. | |\n": [
        (FERRY, None, "Scene 1", ""), (NOBODY, None, "Scene 2", ""),
    ],
    "0.12  The ferry leaves.\n0.18  Nobody waits.\n0.24  Salt remains for long.\n": [
        (FERRY, (12, 18), "", ""), (NOBODY, (18, 24), "", ""), ("Salt remains for long.", (24, 25.48), "", ""),
    ],
    "1. The ferry leaves.\n2. Nobody waits.\n2b. (alternative) Salt remains.\n3. Nobody waits.\n": [
        PLAIN[0], PLAIN[1], (SALT, None, "alternative", ""), PLAIN[1],
    ],
    "WEBVTT\n\n00:12.000 --> 00:18.000\n>> The ferry leaves.\n\n00:20.000 --> 00:24.000\n>> Nobody waits.\n": TIMED,
    "“The ferry leaves.”\n\n“Nobody waits.”\n\nApprox. 5 words = 0:02\n": PLAIN[:2],
    "Screen,Audio transcript,On-screen text\nQuay,The ferry leaves.,When does it leave?\nBell,Nobody waits.,Who waits?\n": (
        PLAIN[:2]
    ),
    "00:00:12:00\n00:00:18:00\nThe ferry leaves.\n\n00:00:20:00\n00:00:24:00\nNobody waits.\n": TIMED,
    "Speaker (calm) [00:12]\nThe ferry leaves.\n\nSOT Mira [00:18]\n“I count.”\n\n"
    "Speaker [00:24]\nNobody waits for the ferry.\n": [
        (FERRY, (12, 18), "calm", "Speaker"), ("Nobody waits for the ferry.", (24, 26.4), "", "Speaker"),
    ],
}  # fmt: skip


def told(found):
    """Words, slot in seconds, notes and reader of each line."""
    slots = [(d.slot.start / SAMPLE_RATE, d.slot.end / SAMPLE_RATE) if d.slot else None for d in found.drafts]
    return [(d.text, slot, d.notes, d.reader) for d, slot in zip(found.drafts, slots, strict=True)]


def read(name, data, **choices):
    data = data.encode() if isinstance(data, str) else data
    return read_script(name, data, FrameRate(Fraction(25)), 10 * 3600 * 25, choices=choices)


def ending(text):
    """A file's ending, where it is more than a hint."""
    table = (
        text.count(",") > 2
        and text.splitlines()[0].count(",")
        and not text.startswith(("0:", "[", "{", "1\n", "Grab", "Hi "))
    )
    return ".md" if text.startswith("|") else ".csv" if table else ".txt"


def book(*chapters, **more):
    """An electronic book of chapters: (name, paragraphs)."""
    container = (
        '<container xmlns="urn:oasis:names:tc:opendocument:xmlns:container"><rootfiles>'
        '<rootfile full-path="O/b.opf"/></rootfiles></container>'
    )
    names = [f"c {n}.xhtml" for n in range(len(chapters))]
    items = "".join(
        f'<item id="i{n}" href="{name.replace(" ", "%20")}" media-type="application/xhtml+xml"/>'
        for n, name in enumerate(names)
    )
    led = "".join(f'<itemref idref="i{n}"/>' for n in reversed(range(len(names))))
    package = f'<package xmlns="http://www.idpf.org/2007/opf"><manifest>{items}</manifest><spine>{led}</spine></package>'
    pages = {
        f"O/{name}": f"<html><head><title>x</title></head>{body}</html>" for name, body in zip(names, chapters, strict=True)
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        files = {
            "mimetype": "application/epub+zip",
            "META-INF/container.xml": container,
            "O/b.opf": package,
            **pages,
            **more,
        }
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def test_a_book_is_read_in_the_order_of_its_spine_whole_or_one_chapter():
    two = f"<body><h1>Two</h1><p>{NOBODY}<span epub:type='pagebreak'>12</span></p><p>{SALT}</p></body>"
    notes = f"<section epub:type='footnotes'><aside epub:type='footnote'>{SALT}</aside></section>"
    one = f"<body><h1>One</h1><p>{FERRY}<a epub:type='noteref'>1</a></p>{notes}</body>"
    written = book(two, one, '<body epub:type="titlepage"><h1>The salt road</h1></body>')
    found = read("a.epub", written)
    assert told(found) == [(words, None, "", "") for words in ("One", FERRY, "Two", NOBODY, SALT)]
    assert any("1 page around" in doubt for doubt in found.doubts)
    assert any("1 footnote left out" in doubt for doubt in found.doubts)
    assert [row[0] for row in told(read("a.epub", written, chapter="1"))] == ["Two", NOBODY, SALT]
    assert told(read("a.epub", written, headings="notes"))[:2] == [(FERRY, None, "One", ""), (NOBODY, None, "Two", "")]
    font, locked = "<e><r URI='O/a.otf'/></e>", "<e><r URI='O/c%200.xhtml'/></e>"
    assert told(read("a.epub", book(two, one, **{"META-INF/encryption.xml": font})))
    with pytest.raises(ScriptRefused, match="locked"):
        read("a.epub", book(two, one, **{"META-INF/encryption.xml": locked}))
    with pytest.raises(ScriptRefused, match="damaged"):
        read("a.epub", book(two, one, **{"META-INF/container.xml": "<container/>"}))
    with pytest.raises(ScriptRefused, match="MB"):
        read("a.epub", book(f"<body><p>{SALT * 400_000}</p></body>"))


def one_page(marks, height=300, size=10, font="sans-serif"):
    """A PDF of one page with words at places: (x, y, words)."""
    out = io.BytesIO()
    surface = cairocffi.PDFSurface(out, 600, height)
    page = cairocffi.Context(surface)
    page.select_font_face(font)
    page.set_font_size(size)
    for x, y, row in marks:
        page.move_to(x, y)
        page.show_text(row)
    surface.finish()
    return out.getvalue()


def test_numbers_of_rows_beside_a_printed_page_are_no_words():
    rows = [
        "It takes two people to lift the gate, and",
        "nobody else.",
        "",
        "Nobody waits there now, not even",
        "the pigeons.",
    ]
    rows += ["", "Salt remains, and so does", "the bell that rings for", "", "those who come too late", "for it."]
    marks = [(90.0, 30.0 + 14 * n, row) for n, row in enumerate(rows, start=1)]
    marks += [(60.0, 30.0 + 14 * n, str(n)) for n in range(5, len(rows) + 1, 5)]
    # Written row by row.
    assert [row[0] for row in told(read("a.pdf", one_page(sorted(marks, key=lambda mark: (mark[1], -mark[0])))))] == [
        f"{rows[0]} {rows[1]}", f"{rows[3]} {rows[4]}", f"{rows[6]} {rows[7]}", f"{rows[9]} {rows[10]}",
    ]  # fmt: skip


def test_a_table_that_tells_of_the_film_is_no_line_and_headings_that_are_times_are_times():
    about = word_table([["Video title:", "The pier"], ["Speaker:", "Male, 50+"], ["Duration:", "0:40"]])
    assert told(read("a.docx", docx(about + par(run(FERRY)) + par(run(NOBODY))))) == PLAIN[:2]
    assert told(read("a.md", f"### 00:12 – 00:18\n\n{FERRY}\n\n### 00:20 – 00:24\n\n{NOBODY}\n")) == TIMED


def test_a_printed_screenplay_is_read_by_how_far_names_and_words_are_set_in():
    blocks = [
        [(108, "INT. SHED - DAY")], [(108, "The FARMER (70) turns an apple in his hand and"), (108, "says nothing.")],
        [(266, "NARRATOR (V.O.)"), (180, "The ferry"), (180, "leaves.")], [(108, "He waits.")],
        [(266, "FARMER"), (223, "(softly)"), (180, "Nobody waits.")], [(266, "NARRATOR (V.O.)"), (180, SALT)],
    ]  # fmt: skip
    marks, y = [], 72
    for block in blocks:
        marks += [(x, y + 12 * n, row) for n, (x, row) in enumerate(block)]
        y += 12 * len(block) + 12
    assert [(row[0], row[3]) for row in told(read("a.pdf", one_page(marks, 792, 12, "Courier")))] == [
        (FERRY, "NARRATOR"), (NOBODY, "FARMER"), (SALT, "NARRATOR"),
    ]  # fmt: skip


@pytest.mark.parametrize("text", ODD)
def test_odd_ways_to_write_a_script(text):
    assert told(read(f"a{ending(text)}", text)) == ODD[text]


def test_italics_of_a_document_say_what_is_seen_where_they_are_few():
    slanted = "<w:i/>"
    body = [par(run(FERRY)), par(run("She looks up.", slanted)), par(run(f"{NOBODY} ") + run("Nobody", slanted))]
    body += [par(run("Fade to black.", slanted)), par(run(SALT))]
    assert [row[0] for row in told(read("a.docx", docx("".join(body))))] == [FERRY, f"{NOBODY} Nobody", SALT]
    page = f"<html><p>{FERRY}<p><em>The</em> <i>gulls.</i><p>{NOBODY}<p><i>The <b>bell</b>.</i><p>{SALT}</html>"
    assert [(row[0], row[2]) for row in told(read("a.html", page))] == [
        (FERRY, ""), (NOBODY, "The gulls"), (SALT, "The bell"),
    ]  # fmt: skip
    all_slanted = docx("".join(par(run(words, slanted)) for words in (FERRY, NOBODY, SALT)))
    assert told(read("a.docx", all_slanted)) == PLAIN


def test_markdown_says_by_italics_what_is_seen_and_by_headings_when():
    parts = ["## 1. Harbour (0:12)", "*boats, wide*", f"> {FERRY}", "## 2. Bell (0:20)", "*the bell*", f"> {NOBODY}"]
    first, second = told(read("a.md", "\n\n".join(parts)))
    assert (first[0], first[1], second[0], second[1][0]) == (FERRY, (12, 20), NOBODY, 20)
    assert "boats, wide" in first[2] and "1. Harbour" in first[2] and "the bell" in second[2]


def test_headings_of_markdown_end_with_their_row_and_may_begin_with_a_time():
    text = "# Salt\n\n## 00:12 – The ferry\nThe ferry leaves.\n<!-- ask\nthem -->\n## 00:20 – Nobody\nNobody waits.\n"
    first, second = told(read("a.md", text))
    assert first == (FERRY, (12, 20), "The ferry", "") and (*second[:1], second[1][0], second[2]) == (NOBODY, 20, "Nobody")
    slides = "## Slide 1 – The ferry\nThe ferry leaves.\n\n## Slide 2\nNobody waits.\n"
    assert [(line.text, line.page) for line in read("a.md", slides).drafts] == [(FERRY, 1), (NOBODY, 2)]


def test_cells_of_a_page_that_cover_rows_move_no_words_into_another_column():
    page = (
        "<html><table><tr><th>Scene<th>Picture<th>Narration<tr><td rowspan=2>1<td>quay<td>The ferry leaves."
        "<tr><td>bell<td>Nobody waits.<tr><td rowspan=99999 colspan=2>2<td>Salt remains.</table></html>"
    )
    assert told(read("a.html", page)) == PLAIN
    wide = "<html><table>" + "<tr><td rowspan=9999 colspan=9999>x" * 2_000 + "</table></html>"
    assert [line.text for line in read("a.html", wide).drafts] == ["x"] * 2_000


@pytest.mark.parametrize(
    "rows",
    [
        [("Slide", "Narration"), ("1", FERRY), ("", NOBODY), ("3", SALT)],
        [("Slide no.", "Title", "Narration"), ("1", "Quay", FERRY), ("1", "Bell", NOBODY), ("3", "Salt", SALT)],
        [("Narration", "Picture"), (FERRY, "Slide 1: the quay"), (NOBODY, "Slide 1: the bell"), (SALT, "Slide 3")],
    ],
)
def test_a_column_says_of_which_slide_words_are(rows):
    found = read("a.csv", "\n".join(",".join(row) for row in rows))
    assert [(line.text, line.page) for line in found.drafts if line.page] in (
        [(FERRY, 1), (SALT, 3)], [(FERRY, 1), (NOBODY, 1), (SALT, 3)],
    )  # fmt: skip
    assert not [doubt for doubt in found.doubts if "Slide" in doubt]


def test_times_are_said_in_minutes_and_seconds():
    text = f"At 1 minute 6 seconds: {FERRY}\nAt 1 min 12 sec: {NOBODY}\nAt 80 s: {SALT}\n"
    assert [(row[0], row[1][0]) for row in told(read("a.txt", text))] == [(FERRY, 66), (NOBODY, 72), (SALT, 80)]


def heading(text):
    return f'<w:p><w:pPr><w:pStyle w:val="Heading1"/></w:pPr>{run(text)}</w:p>'


def printed(rows, places, head, gap=12.0, title="The Salt Road", each=4):
    """A PDF of two pages or more with a title and a number on each; cells are rows of words, below one another."""
    out = io.BytesIO()
    surface = cairocffi.PDFSurface(out, 600, 300)
    page = cairocffi.Context(surface)
    page.set_font_size(10)
    for number in range(0, len(rows), each):
        marks = [(40.0, 25.0, title), (300.0, 285.0, str(number // each + 1))]
        y = 50.0
        for cells in (head, *rows[number : number + each]):
            for x, cell in zip(places, cells, strict=True):
                marks += [(x, y + 13.0 * n, row) for n, row in enumerate(cell)]
            y += 13.0 * max(map(len, cells)) + gap
        for x, y, row in marks:
            page.move_to(x, y)
            page.show_text(row)
        page.show_page()
    surface.finish()
    return out.getvalue()


@pytest.mark.parametrize("gap", [12.0, 0.0], ids=["rows apart", "rows close"])
def test_a_printed_table_is_read_by_its_columns(gap):
    shot = ["Wide shot of the harbour", "at dawn, with gulls"]
    words = [["It takes two people to lift", "the gate."], ["Nobody waits there now,", "not even the pigeons."]] * 3
    rows = [([f"0:{5 * n:02}"], shot, said) for n, said in enumerate(words)]
    found = told(read("a.pdf", printed(rows, (40.0, 100.0, 320.0), (["Time"], ["Picture"], ["Narration"]), gap)))
    assert [row[0] for row in found] == [" ".join(said) for said in words]
    assert [row[1] for row in found][:5] == [(5.0 * n, 5.0 * n + 5.0) for n in range(5)]
    across = {"title": "The Salt Road, commentary as it is to be read", "each": 2}
    assert (
        told(read("a.pdf", printed(rows, (40.0, 100.0, 320.0), (["Time"], ["Picture"], ["Narration"]), gap, **across)))
        == found
    )
    pairs = [(shot, said) for said in words]
    if gap:
        found = told(read("a.pdf", printed(pairs, (40.0, 320.0), (["VIDEO"], ["AUDIO"]))))
        assert [row[:2] for row in found] == [(" ".join(said), None) for said in words]


def test_of_one_printed_page_the_head_that_was_written_last_is_no_line_and_paragraphs_are_told_by_the_white_between():
    said = [
        "1 It takes two people to lift the gate, and",
        "nobody else.",
        "2 Nobody waits there now.",
        "3 Salt remains.",
        "4 It rains.",
    ]
    marks = [(40.0, y, row) for y, row in zip((50.0, 63.0, 90.0, 117.0, 144.0), said, strict=True)]
    marks += [(40.0, 20.0, "Salt road, narration"), (300.0, 285.0, "1")]
    wanted = [f"{said[0][2:]} {said[1]}", *(row[2:] for row in said[2:])]
    assert [row[0] for row in told(read("a.pdf", one_page(marks)))] == wanted


@pytest.mark.parametrize("names", [("English", "Deutsch"), ("Source", "Target"), ("Original", "Fassung 2")])
def test_of_two_languages_the_one_of_the_production_is_taken(names):
    english = ["The ferry leaves in the morning.", "Nobody is waiting for it.", "Salt is what remains of the sea."]
    german = ["Die Fähre fährt am Morgen ab.", "Niemand wartet auf sie.", "Salz ist das, was von der See bleibt."]
    for left, right in ((english, german), (german, english)):
        titles = names if left is english else names[::-1] if names[0] == "English" else names
        rows = [titles, *zip(left, right, strict=True)]
        table = "\n".join("\t".join(row) for row in rows).encode()
        for language, wanted in (("en-gb", english), ("de", german)):
            found = read_script("a.tsv", table, FrameRate(Fraction(25)), language=language)
            assert [draft.text for draft in found.drafts] == wanted


def test_words_in_bold_before_others_name_who_reads():
    bold = [
        par(run(name, "<w:b/>"), run(f"  {words}")) for name, words in (("Anna", FERRY), ("Bert", NOBODY), ("Anna", SALT))
    ]
    readers = [(FERRY, None, "", "Anna"), (NOBODY, None, "", "Bert"), (SALT, None, "", "Anna")]
    assert told(read("a.docx", docx("".join(bold)))) == readers


def test_rows_that_a_sheet_hides_are_left_out_and_asked():
    made, out = io.BytesIO(xlsx([["Line", "Narration"]], [["1", FERRY], ["2", SALT], ["3", NOBODY]], 86_400)), io.BytesIO()
    with zipfile.ZipFile(made) as shown, zipfile.ZipFile(out, "w") as archive:
        for name in shown.namelist():
            archive.writestr(name, shown.read(name).replace(b'<row r="3"', b'<row r="3" hidden="1"'))
    found = read("a.xlsx", out.getvalue())
    assert told(found) == PLAIN[:2]
    assert "hidden" in {question.key for question in found.questions}
    assert told(read("a.xlsx", out.getvalue(), hidden="in")) == [PLAIN[0], PLAIN[2], PLAIN[1]]


def test_of_sheets_alike_the_first_is_read_or_all_of_them():
    namespaces = " ".join(
        f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in ("office", "table", "text")
    )
    made = ""
    for number, text in enumerate([FERRY, NOBODY]):
        rows = ""
        for row in (("Line", "Narration"), ("1", text), ("2", SALT)):
            cells = (
                f'<table:table-cell office:value-type="string"><text:p>{one}</text:p></table:table-cell>' for one in row
            )
            rows += f"<table:table-row>{''.join(cells)}</table:table-row>"
        made += f'<table:table table:name="Ep {number}">{rows}</table:table>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        manifest = '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>'
        archive.writestr("META-INF/manifest.xml", manifest)
        body = f"<office:body><office:spreadsheet>{made}</office:spreadsheet></office:body>"
        archive.writestr("content.xml", f"<office:document-content {namespaces}>{body}</office:document-content>")
    assert told(read("a.ods", out.getvalue())) == [PLAIN[0], PLAIN[2]]
    assert told(read("a.ods", out.getvalue(), sheet="*")) == [PLAIN[0], PLAIN[2], PLAIN[1], PLAIN[2]]


@pytest.mark.parametrize(
    "text",
    [
        "Die Flut ist weg und das Boot lehnt. / The tide is out and the boat leans.\n"
        "Das ist nicht alles auf dem Schlick. / That is not all of it on the mud.\n",
        "Die Flut ist weg und das Boot lehnt.\nThe tide is out and the boat leans.\n\n"
        "Das ist nicht alles auf dem Schlick.\nThat is not all of it on the mud.\n",
    ],
    ids=["beside a slash", "one below the other"],
)
def test_of_two_languages_in_a_text_one_is_read(text):
    english = ["The tide is out and the boat leans.", "That is not all of it on the mud."]
    data = text.encode()
    for language, first in (("en-gb", english[0]), ("de", "Die Flut ist weg und das Boot lehnt.")):
        found = read_script("a.txt", data, FrameRate(Fraction(25)), language=language)
        assert (len(found.drafts), found.drafts[0].text) == (2, first)
        assert [each.key for each in found.questions] == ["tongue"]
    both = read_script("a.txt", data, FrameRate(Fraction(25)), choices={"tongue": "both"}, language="en-gb")
    assert [draft.text for draft in both.drafts] == [row for row in text.splitlines() if row]
    timed = "\n".join(f"0:{12 + 8 * n} {row}" for n, row in enumerate(text.splitlines()))
    if " / " in text:
        found = read_script("a.txt", timed.encode(), FrameRate(Fraction(25)), language="en-gb")
        assert [(row[0], row[1][0]) for row in told(found)] == list(zip(english, (12, 20), strict=True))


def test_what_is_no_xml_is_known_at_once_however_many_comments_it_begins_with():
    """A pattern that may end a comment at any of several places would try them all, 2 to the power of 500."""
    assert not is_timed_text("<!-- -->" * 500) and not is_speech_markup("<!-- -->" * 500)
    assert is_timed_text("<!-- -->\n<!-- --><tt xml:lang='en'>") and is_speech_markup("<!-- a --> <speak>")


def test_minutes_and_seconds_may_be_columns():
    rows = "Shot,In min,In sec,Out min,Out sec,Text\n1,,12,0,18,The ferry leaves.\n2,0,20,0,24,Nobody waits.\n"
    assert told(read("a.csv", rows)) == TIMED
    alone = "Min,Sec,Text\n0,12,The ferry leaves.\n1,5,Nobody waits.\n"
    assert [row[1][0] for row in told(read("a.csv", alone))] == [12, 65]


def test_scenes_may_be_columns():
    rows = f",Slide 1,Slide 2\nVoice over,{FERRY},{NOBODY}\nVisual,harbour,bench\n"
    assert told(read("a.csv", rows)) == PLAIN[:2]


def test_notes_of_slides_are_read_and_what_they_show_is_not():
    text = f"Slide 1: Boats\n\n• Tides\n• Mud\n\nNotes: {FERRY}\n\nSlide 2: Bells\n\n• Salt\n\nNotes: {NOBODY}\n"
    found = told(read("a.txt", text))
    assert [row[0] for row in found] == [FERRY, NOBODY] and "Tides" in found[0][2] and "Salt" in found[1][2]
    assert "Tides" in " ".join(row[0] for row in told(read("a.txt", text, **{"slide-notes": "words"})))


def archived(**parts):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in parts.items():
            archive.writestr(name, text)
    return out.getvalue()


def shape(kind, *rows):
    said = "".join(f"<a:p><a:r><a:t>{row}</a:t></a:r></a:p>" for row in rows)
    place = f'<p:nvSpPr><p:nvPr><p:ph type="{kind}"/></p:nvPr></p:nvSpPr>'
    return f"<p:sp>{place}<p:txBody>{said}</p:txBody></p:sp>"


def slides(decks, order):
    """A presentation: (title, rows shown, rows of notes, hidden) of each slide, and in which order they are shown."""
    office = "http://schemas.openxmlformats.org"
    spaces = (
        f'xmlns:p="{office}/presentationml/2006/main" xmlns:a="{office}/drawingml/2006/main" '
        f'xmlns:r="{office}/officeDocument/2006/relationships"'
    )

    def links(*targets):
        kept = "".join(f'<Relationship Id="r{n}" Target="{target}"/>' for n, target in targets)
        return f'<Relationships xmlns="{office}/package/2006/relationships">{kept}</Relationships>'

    listed = "".join(f'<p:sldId r:id="r{n}"/>' for n in order)
    parts = {
        "ppt/presentation.xml": f"<p:presentation {spaces}><p:sldIdLst>{listed}</p:sldIdLst></p:presentation>",
        "ppt/_rels/presentation.xml.rels": links(*((n, f"slides/slide{n}.xml") for n in range(len(decks)))),
    }
    for n, (title, shown, notes, hidden) in enumerate(decks):
        held = shape("title", title) + shape("body", *shown) + shape("sldNum", str(n))
        parts[f"ppt/slides/slide{n}.xml"] = f'<p:sld {spaces} show="{int(not hidden)}">{held}</p:sld>'
        if notes:
            parts[f"ppt/slides/_rels/slide{n}.xml.rels"] = links((1, f"../notesSlides/notesSlide{n}.xml"))
            said = shape("sldImg") + shape("body", *notes) + shape("sldNum", str(n))
            parts[f"ppt/notesSlides/notesSlide{n}.xml"] = f"<p:notes {spaces}>{said}</p:notes>"
    return archived(**parts)


def test_of_a_presentation_the_notes_are_read_slide_by_slide_as_they_are_shown():
    decks = [
        ("Bells", ["Nobody"], [NOBODY], False),
        ("Boats", ["Tides", "Mud"], [FERRY, f"{SALT} [click]"], False),
        ("Thanks", ["Goodbye"], [], False),
        ("Secret", ["x"], ["Never read this."], True),
    ]
    found = read("a.pptx", slides(decks, [1, 3, 0, 2]))
    assert told(found) == [
        (FERRY, None, "Slide 1: Boats", ""), (SALT, None, "click after “remains”", ""),
        (NOBODY, None, "Slide 3: Bells", ""),
    ]  # fmt: skip
    assert "1 slide without notes left out" in found.doubts
    shown = read("a.pptx", slides(decks, [1, 3, 0, 2]), slides="shown", hidden="in")
    assert [row[0] for row in told(shown)] == ["Tides", "Mud", "x", "Nobody", "Goodbye"]
    bare = [("Boats", [FERRY, NOBODY], [], False)]
    assert [row[0] for row in told(read("a.pptx", slides(bare, [0])))] == [FERRY, NOBODY]
    with pytest.raises(ScriptRefused, match="no words in this presentation"):
        read("a.pptx", slides([("Boats", [], [], False)], [0]))


@pytest.mark.parametrize("spoilt", ["ppt/presentation.xml", "ppt/slides/slide0.xml"])
def test_a_damaged_presentation_is_refused_in_words(spoilt):
    good = slides([("Boats", [FERRY], [NOBODY], False)], [0])
    with zipfile.ZipFile(io.BytesIO(good)) as archive:
        parts = {name: archive.read(name).decode() for name in archive.namelist()}
    with pytest.raises(ScriptRefused, match="presentation is damaged"):
        read("a.pptx", archived(**parts | {spoilt: "<p:sld"}))
    many = slides([("Boats", [FERRY], [NOBODY], False)], [0] * 200_000)
    with pytest.raises(ScriptRefused, match=r"20,000|more than"):
        read("a.pptx", many)


def test_the_notes_of_an_open_presentation_are_read():
    names = ("office", "drawing", "presentation", "text", "style")
    spaces = " ".join(f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"' for name in names)

    def frame(kind, *rows):
        held = "".join(f"<text:p>{row}</text:p>" for row in rows)
        return f'<drawing:frame presentation:class="{kind}"><drawing:text-box>{held}</drawing:text-box></drawing:frame>'

    def page(title, shown, *notes, style="seen"):
        said = f"<presentation:notes>{frame('notes', *notes)}</presentation:notes>"
        held = frame("title", title) + frame("outline", shown) + said
        return f'<drawing:page drawing:style-name="{style}">{held}</drawing:page>'

    unseen = '<style:drawing-page-properties presentation:visibility="hidden"/>'
    pages = page("Boats", "Tides", FERRY, NOBODY) + page("Secret", "x", "Never.", style="un") + page("Bells", "Salt", SALT)
    content = (
        f'<office:document-content {spaces}><style:style style:name="un">{unseen}</style:style><office:body>'
        f"<office:presentation>{pages}</office:presentation></office:body></office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.presentation"
    found = read("a.odp", archived(**{"mimetype": kind, "content.xml": content}))
    assert told(found) == [
        (FERRY, None, "Slide 1: Boats", ""), PLAIN[1], (SALT, None, "Slide 3: Bells", ""),
    ]  # fmt: skip


def test_rows_of_a_page_that_are_sentences_are_lines():
    assert told(read("a.pdf", printed([[[FERRY]], [[NOBODY]], [[SALT]]], (40.0,), [[""]]))) == PLAIN


@pytest.mark.parametrize(
    "header",
    [
        "Nr;Starttid;Sluttid;Bild;Berättartext",
        "Nr;Fra;Til;Billede;Speak",
        "Lp.;Czas od;Czas do;Obraz;Tekst lektora",
        "č.;začátek;konec;obraz;komentář",
        "Sorszám;Kezdet;Vége;Kép;Narráció",
        "Sıra;Başlangıç;Bitiş;Görüntü;Seslendirme",
        "番号;開始;終了;映像;ナレーション",
        "序号;开始;结束;画面;旁白",
    ],
)
def test_columns_have_names_in_many_languages(header):
    rows = f"{header}\n1;0:12;0:18;A harbour.;{FERRY}\n2;0:20;0:24;A bench, empty, at dawn.;{NOBODY}\n"
    assert told(read("a.csv", rows)) == TIMED


@pytest.mark.parametrize(
    ("reader", "picture"), [("LEKTOR", "OBRAZ"), ("SPIIKKERI", "KUVA"), ("FORTELLER", "BILDE"), ("ΑΦΗΓΗΤΗΣ", "ΕΙΚΟΝΑ")]
)
def test_readers_and_pictures_have_names_in_many_languages(reader, picture):
    text = f"{reader}: {FERRY}\n{picture}: gulls\n{reader}: {NOBODY}\n"
    assert told(read("a.txt", text)) == [(FERRY, None, "", reader), (NOBODY, None, "gulls", reader)]


def test_scenes_are_counted_in_chinese():
    assert told(read("a.txt", f"场景一：港口\n旁白：{FERRY}\n\n场景二：长椅\n旁白：{NOBODY}\n")) == [
        (FERRY, None, "场景一：港口", ""), (NOBODY, None, "场景二：长椅", ""),
    ]  # fmt: skip


def test_of_two_columns_of_words_the_final_one_is_read():
    rows = f"Scene;Text;Text (final)\n1;The boat leaves.;{FERRY}\n2;No one waits.;{NOBODY}\n"
    assert told(read("a.csv", rows)) == PLAIN[:2]


def test_odd_documents():
    parts = docx(heading("The Salt Road") + par(run(FERRY)) + heading("The bell") + par(run(NOBODY)) + par(run(SALT)))
    assert told(read("a.docx", parts)) == [PLAIN[0], (NOBODY, None, "The bell", ""), PLAIN[2]]
    assert [row[0] for row in told(read("a.docx", parts, headings="words", titles="lines"))] == [
        "The Salt Road", FERRY, "The bell", NOBODY, SALT,
    ]  # fmt: skip
    ordered = word_table([["Client", "Harbour Bakery"], ["Version", "3"]]) + par(run(FERRY)) + par(run(NOBODY))
    assert told(read("a.docx", docx(ordered))) == PLAIN[:2]
    slides = [
        word_table([["Slide", str(n)], ["Visual", "The harbour"], ["Narration", text]])
        for n, text in enumerate([FERRY, NOBODY])
    ]
    assert told(read("a.docx", docx("".join(slides)))) == PLAIN[:2]
    parts = [run("Voiceover script", "<w:b/>"), run("Duration: ca. 2:30"), run("Benefits", "<w:b/>"), run(FERRY)]
    parts += [run("The end of it", "<w:b/>"), run(NOBODY)]
    assert told(read("a.docx", docx("".join(map(par, parts))))) == [
        (FERRY, None, "Benefits", ""), (NOBODY, None, "The end of it", ""),
    ]  # fmt: skip
    screens = [
        word_table([[f"Screen 2.{n}", ""], ["On-screen text", "Bells"], ["Voice-over", text], ["Animation", "A bell"]])
        for n, text in enumerate([FERRY, NOBODY], start=1)
    ]
    assert told(read("a.docx", docx(par(run("Module 2")) + "".join(screens)))) == [
        (FERRY, None, "Screen 2.1", ""), (NOBODY, None, "Screen 2.2", ""),
    ]  # fmt: skip
    described = [
        ["No.", "In cue", "Out cue", "Description", "Last words heard"],
        ["1", "10:00:12:00", "10:00:18:00", FERRY, "And so we left for good."],
        ["2", "10:00:20:00", "10:00:24:00", NOBODY, "Who is there?"],
    ]
    assert told(read("a.docx", docx(par(run("AUDIO DESCRIPTION SCRIPT")) + word_table(described)))) == TIMED
    rows = [
        ["TC", "Bild", "Text / Ton"],
        ["00:12", "Hafen", f"OFF:\n{FERRY}\nO-TON ANNA:\nI live here."],
        ["00:18", "Uhr", "MUSIK"],
    ]
    rows += [["00:20", "Uhr", f"OFF:\n{NOBODY}"], ["00:24", "Uhr", f"OFF: {SALT}"]]
    cells = word_table(rows).replace("\n", "</w:t><w:br/><w:t>")
    assert [row[:2] for row in told(read("a.docx", docx(cells)))][:2] == [row[:2] for row in TIMED]


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("a.json", '{"a": ' * 100_000, "damaged"),
        ("a.json", '["The ferry leaves."]', "no list of lines"),
        ("a.yaml", "- text: The ferry leaves.", "a YAML file"),
        ("a.ttml", '<tt xmlns="http://www.w3.org/ns/ttml"><body>', "damaged"),
        ("a.ttml", '<!DOCTYPE tt [<!ENTITY a "b">]><tt>&a;</tt>', "XML|damaged|words"),
    ],
)
def test_data_without_lines_is_refused_in_words(name, data, why):
    with pytest.raises(ScriptRefused, match=why):
        read(name, data)


MAIL = "From: Otto <otto@quay.example>\nSubject: Script\nMIME-Version: 1.0\n"


def mail(*parts):
    """A mail of parts: kind, what else is said of it, content."""
    inside = "".join(f"--b1\nContent-Type: {kind}\n{more}\n{content}\n" for kind, more, content in parts)
    return f'{MAIL}Content-Type: multipart/mixed; boundary="b1"\n\n{inside}--b1--\n'


def test_the_script_in_a_mail_is_its_text_or_what_is_attached():
    text = (
        "Hi Mira,\n\nhere is the script:\n\n0:12 The ferry leaves.\n0:20 Nobody waits.\n0:24 Salt remains.\n\nBest,\nOtto\n"
    )
    plain = f"{MAIL}Content-Type: text/plain; charset=utf-8\n\n{text}"
    timed = [(FERRY, (12, 20)), (NOBODY, (20, 24))]
    assert [row[:2] for row in told(read("a.eml", plain))][:2] == timed
    page = "<html><table><tr><th>In</th><th>Out</th><th>Text</th></tr>"
    page += (
        f"<tr><td>0:12</td><td>0:18</td><td>{FERRY}</td></tr><tr><td>0:20</td><td>0:24</td><td>{NOBODY}</td></tr></table>"
    )
    coded = base64.encodebytes(page.encode()).decode()
    html = ("text/html; charset=utf-8", "Content-Transfer-Encoding: base64\n", coded)
    assert told(read("a.eml", mail(("text/plain", "", "See the page."), html))) == TIMED
    table = base64.encodebytes(docx(word_table([["In", "Out", "Text"], ["0:12", "0:18", FERRY], ["0:20", "0:24", NOBODY]])))
    named = 'Content-Disposition: attachment; filename="script.docx"\nContent-Transfer-Encoding: base64\n'
    attached = mail(("text/plain", "", text), ("application/octet-stream", named, table.decode()))
    found = read("a.eml", attached)
    assert found.kind == "Word document in a mail" and told(found) == TIMED
    assert [row[:2] for row in told(read("a.eml", attached, mail="text"))][:2] == timed
    inner = base64.encodebytes(plain.encode()).decode()
    nested = mail(("application/octet-stream", named.replace("docx", "txt"), inner))
    for spoilt in (mail(("image/png", "", "x")), nested, "MIME-Version: 1.0\nContent-Type: message/rfc822\n\n" * 3_000):
        with pytest.raises(ScriptRefused, match=r"mail|words"):
            read("a.eml", spoilt)


def test_the_marks_of_web_pages_in_cells_are_no_words():
    rows = ["id,screen,audio", '1,Harbour,"<p>The ferry leaves.</p>"', '2,Bell,"<p>Nobody <b>waits</b>.&nbsp;</p>"']
    assert [row[0] for row in told(read("a.csv", "\n".join(rows)))] == [FERRY, NOBODY]


@pytest.mark.parametrize("key", ["titles", "bites", "numbered", "directions", "headings", "alternatives"])
def test_what_is_left_out_comes_back_when_asked(key):
    text = (
        "The Salt Road\n\nScene 1\n\nText 1\nThe ferry [beat] leaves.\n\nO-Ton Anna Miller\nI live here.\n\nScene 2\n\n"
        "Text 2\nNobody waits.\n\nSalt remains.\nALT: Salt stays.\n"
    )
    found = read("a.txt", text)
    assert [row[0] for row in told(found)] == [FERRY, NOBODY, SALT]
    (question,) = [one for one in found.questions if one.key == key]
    other = next(value for value, _ in question.options if value != question.chosen)
    more = [row[0] for row in told(read("a.txt", text, **{key: other}))]
    assert len(" ".join(more)) > len(" ".join((FERRY, NOBODY, SALT)))
