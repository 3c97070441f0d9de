"""A contract of import-linter: places meet only at their doors."""

from __future__ import annotations

import grimp
from importlinter import Contract, ContractCheck, fields, output


class DoorsContract(Contract):
    """Modules of one place import of another only what it offers: its public module, actions, tables and signals.

    Options: ``container`` (the package of the places), ``places`` (its modules that are such), ``doors`` (what of a place others may
    import), ``guests`` (modules of the container that keep to the doors too, and are no places).
    """

    container = fields.StringField()
    places = fields.ListField(subfield=fields.StringField())
    guests = fields.ListField(subfield=fields.StringField(), required=False, default=[])
    doors = fields.ListField(subfield=fields.StringField())

    def check(self, graph: grimp.ImportGraph, verbose: bool) -> ContractCheck:
        """Look at every import between places."""
        places: list[str] = self.places  # type: ignore[assignment]
        importers = {*places, *self.guests}  # type: ignore[misc]
        wrong = []
        for place in places:
            whole = f"{self.container}.{place}"
            doors = {f"{whole}.{door}" for door in self.doors}  # type: ignore[attr-defined]
            for module in sorted({whole, *graph.find_descendants(whole)}):
                if any(module == door or module.startswith(f"{door}.") for door in doors):
                    continue
                for importer in sorted(graph.find_modules_that_directly_import(module)):
                    parts = importer.split(".")
                    of_ours = len(parts) > 1 and parts[0] == self.container and parts[1] in importers
                    if of_ours and parts[1] != place:
                        wrong.append(f"{importer} -> {module}")
        return ContractCheck(kept=not wrong, metadata={"wrong": wrong})

    def render_broken_contract(self, check: ContractCheck) -> None:
        """The imports, and what to do."""
        for line in check.metadata["wrong"]:
            output.print_error(line, bold=False)
        output.print_error(f"Import from the place's public module, or offer it there ({', '.join(self.doors)}).")  # type: ignore[arg-type]
