"""What a run tells as plain values, and the files it writes."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..answers.cases import Cut
from ..fields.far import FarField
from ..files.atomic import Written, stem_of
from ..files.formats import write
from ..files.results import write_results
from ..files.tables import network_table, records

if TYPE_CHECKING:
    from .run import Run


def cut_of(field: FarField, cut: Cut) -> Any:
    """The samples of a cut named in a file."""
    if cut.plane is not None:
        return field.cut(cut.plane)
    return field.cut(elevation=cut.elevation, azimuth=cut.azimuth)


def told(result: Run) -> dict[str, Any]:
    """Everything to print, as plain values."""
    solution = result.solution
    content: dict[str, Any] = {
        "antenna": solution.antenna.name,
        "medium": str(solution.antenna.medium),
        "values": records(result.values),
        "unknowns": solution.unknowns,
        "seconds": solution.seconds,
        "record": records(solution.run_record()),
        "ways": [{"frequency_Hz": hertz, "solved": way} for hertz, way in sorted(solution.record.ways.items())],
        "solved_Hz": solution.solved,
        "band_error": solution.band_error,
        "network": records(network_table(solution.network)),
        "resonances": {p: records(solution.network.resonances(p)) for p in solution.network.ports},
        "within_VSWR_2": {p: records(solution.network.bandwidth(p, vswr=2.0)) for p in solution.network.ports},
        "cases": [
            {
                "name": case.case.name,
                "frequency_Hz": case.driven.frequency,
                "ports": records(case.driven.ports_table()),
                "figures": records(case.field.summary()) if case.radiates else [],
                "power_balance": case.driven.balance,
                "budget": records(case.driven.budget()),
                "sectors": case.sectors(),
            }
            for case in result.cases
        ],
    }
    errors = result.mesh_errors(every=True)
    if errors is not None:
        content["mesh_errors"] = records(errors)
    if result.evidence is not None:
        content["evidence"] = records(result.evidence.to_frame())
    return content


def write_all(result: Run, folder: Path) -> list[Path]:
    """Write networks, currents and cuts into a folder; returns what was written."""
    network = result.solution.network
    first = network.references[0]
    alike = (network.references == first).all() and not first.imag
    common = network if alike else network.referred_to(float(first.real))
    written = Written(folder)
    write_results(result.solution, written.path("results.nc"), result.file)
    write(network, written.path("network.csv"))
    write(network, written.path("network.json"))
    write(common, written.path(f"network.s{len(network.ports)}p"))
    for case in result.cases:
        stem = stem_of(case.case.name)
        if len(result.cases) > len({c.case.name for c in result.cases}):
            stem += f"-{case.driven.frequency / 1e6:.9g}-MHz"
        if case.driven.antenna.wires:
            write(case.driven.currents_table(), written.path(f"{stem}-currents.csv"))
        if case.driven.antenna.sheets:
            write(case.driven.sheet_currents_table(), written.path(f"{stem}-sheet-currents.csv"))
        if case.radiates:
            write(case.field.summary(), written.path(f"{stem}-figures.csv"))
        for name, points in case.case.near.items():
            # A plane through a board meets its metal, where there is no field; single points in metal are a mistake.
            met = "zero" if points.ndim == 3 else "refuse"
            write(
                case.driven.near_field(points, in_metal=met).to_dataset(),
                written.path(f"{stem}-near-{stem_of(name)}.csv"),
            )
        for cut in case.case.cuts if case.radiates else ():
            samples = cut_of(case.field, cut)
            name = cut.plane or stem_of(str(samples.attrs["cut"]).replace("°", " deg"))
            write(samples, written.path(f"{stem}-cut-{name}.csv"))
    return list(written.paths.values())
