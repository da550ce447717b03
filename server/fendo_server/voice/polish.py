"""What was mended and how lines are treated, of one production, read once."""

from collections import defaultdict
from dataclasses import replace

from fendo_core.production.state import State
from fendo_core.voice import Comp
from fendo_core.voice.chain import Chain, nearest
from fendo_core.voice.repair import Repair
from fendo_server.productions.models import Production
from fendo_server.voice.models import Recording
from fendo_server.voice.sounding import Sounding


class Polish:
    """Gives comps their repairs and their treatment."""

    def __init__(self, production: Production, present: State | None = None) -> None:
        self.production = production
        repairs = present.repairs.values() if present else [one.value for one in production.repairs.all()]
        self._chains: dict[str, Chain] = (
            dict(present.chains) if present else {one.scope: one.value for one in production.treatments.all()}
        )
        self._folders: dict[str, str] | None = None
        self._repairs: dict[str, list[Repair]] = defaultdict(list)
        for one in repairs:
            self._repairs[one.recording].append(one)

    def repairs_of(self, comp: Comp) -> tuple[Repair, ...]:
        """Those of the recordings that a comp uses."""
        return tuple(one for name in sorted(comp.recordings) for one in self._repairs.get(name, ()))

    def _folder_of(self, comp: Comp) -> str:
        """The folder in which the recording lies that a comp begins with; looked for only where folders are treated."""
        if not any(scope.startswith("folder:") for scope in self._chains):
            return ""
        if self._folders is None:
            rows = Recording.objects.filter(production=self.production).values_list("id", "folder_id")
            self._folders = {str(recording): str(folder) for recording, folder in rows}
        return self._folders.get(comp.segments[0].recording, "")

    def chain(self, comp: Comp, line: str) -> Chain | None:
        """How a comp of a line is treated: the nearest wins."""
        return nearest(self._chains, line, self._folder_of(comp))

    def sounding(self, comp: Comp, line: str) -> Sounding:
        """A comp of a line as it sounds now."""
        chain = self.chain(comp, line)
        # Most lines are not treated, and a production has thousands.
        sounding = comp if chain == comp.treatment else replace(comp, treatment=chain)
        return Sounding(self.production, sounding, self.repairs_of(comp))

    def untreated(self, comp: Comp, *more: Repair) -> Sounding:
        """A comp with its mends, and `more` of them, and without a treatment."""
        return Sounding(self.production, replace(comp, treatment=None), (*self.repairs_of(comp), *more))

    def bare(self, comp: Comp) -> Sounding:
        """The same as it was read."""
        return Sounding(self.production, comp)
