"""Three ways to count samples, told apart by their types. All are at 48 kHz."""

from typing import NewType

RecordingSample = NewType("RecordingSample", int)
"""A sample of a recording, counted from its first."""
CompSample = NewType("CompSample", int)
"""A sample of a comp, counted from its first."""
ProgrammeSample = NewType("ProgrammeSample", int)
"""A sample of the programme; it may lie before its beginning."""
