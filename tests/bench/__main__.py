"""All benchmarks: `./run bench` prints one JSON list; names as arguments run only those.

What fails or takes too long is marked in the list, and the rest is measured all the same. The exit code is 0 when all
aims are met, 1 when a benchmark failed or took too long, 2 when only an aim was missed.
"""

from __future__ import annotations

import json
import signal
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from jade_coat.demo.terrace import build
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.view.context import create_context
from tests.bench.baking import bench_bake
from tests.bench.cards import bench_cards
from tests.bench.grounds import bench_grounds
from tests.bench.kinds import bench_kinds
from tests.bench.lamps import bench_counts, bench_lamps
from tests.bench.layers import bench_section, bench_six_coats, bench_sixty_sets, bench_structure
from tests.bench.looks import bench_finishes, bench_many_materials, bench_recipe, bench_shared
from tests.bench.many import bench_many_props
from tests.bench.painting import bench_painting
from tests.bench.pictures import bench_edits, bench_material, bench_rows
from tests.bench.stage import bench_stage
from tests.bench.starting import bench_start
from tests.bench.strokes import bench_dabs, bench_strokes
from tests.bench.turning import bench_turning
from tests.support import Demo, stage_renderer

SECONDS = 600
"""How long one benchmark may take."""


def measured(
    benches: dict[str, Callable[[], list[dict[str, Any]]]], seconds: float = SECONDS
) -> tuple[list[dict[str, Any]], int]:
    """The figures of all benchmarks, those that failed marked by `failed`, those beyond their aim by `missed`."""
    results: list[dict[str, Any]] = []
    code = 0

    def ring(*_: object) -> None:
        raise TimeoutError(f"it took longer than {seconds:g} s")

    before = signal.signal(signal.SIGALRM, ring)
    try:
        for name, bench in benches.items():
            signal.setitimer(signal.ITIMER_REAL, seconds)
            try:
                found = bench()
            except (Exception, SystemExit) as error:  # a benchmark of another process ends by SystemExit
                results.append({"name": name, "failed": f"{type(error).__name__}: {error}"})
                code = 1
                continue
            finally:
                signal.setitimer(signal.ITIMER_REAL, 0)
            for line in found:
                if line["ratio"] > line["aim"]:
                    line["missed"] = True
                    code = code or 2
                results.append(line)
    finally:
        signal.signal(signal.SIGALRM, before)
    return results, code


def main(wanted: list[str]) -> int:
    with tempfile.TemporaryDirectory(prefix="jade-coat-bench-") as place:
        folder = Path(place) / "terrace"
        build(folder, corner=True)
        opened = open_project(folder)
        demo = Demo(opened.project, Library(opened.assets), folder)
        renderer = stage_renderer(create_context(), demo)
        benches = {
            "material": lambda: bench_material(renderer, demo), "rows": lambda: bench_rows(renderer),
            "six_coats": lambda: bench_six_coats(renderer, demo), "edits": lambda: bench_edits(demo),
            "structure": lambda: bench_structure(demo), "section": lambda: bench_section(renderer, demo),
            "painting": bench_painting, "strokes": lambda: bench_strokes(folder), "dabs": lambda: bench_dabs(folder), "shared": bench_shared, "finishes": bench_finishes, "many_materials": bench_many_materials, "many_props": lambda: bench_many_props(folder), "recipe": lambda: bench_recipe(renderer),
            "bake": lambda: bench_bake(demo), "start": lambda: bench_start(folder), "turning": lambda: bench_turning(folder),
            "stage": lambda: bench_stage(folder), "lamps": lambda: bench_lamps(folder),
            "counts": lambda: bench_counts(folder),
            "kinds": lambda: bench_kinds(demo), "sixty_sets": lambda: bench_sixty_sets(Path(place)),
            "cards": bench_cards, "grounds": lambda: bench_grounds(renderer),
        }  # fmt: skip
        unknown = [name for name in wanted if name not in benches]
        if unknown:
            print(f"there is no benchmark {', '.join(unknown)}; there are {', '.join(benches)}", file=sys.stderr)
            return 1
        results, code = measured({name: bench for name, bench in benches.items() if not wanted or name in wanted})
    print(json.dumps(results, indent=1))
    return code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
