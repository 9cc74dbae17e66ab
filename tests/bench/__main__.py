"""All benchmarks: `./run bench` prints one JSON list; names as arguments run only those."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from jade_coat.demo.terrace import build
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.view.context import create_context
from tests.bench.baking import bench_bake
from tests.bench.layers import bench_section, bench_six_coats, bench_sixty_sets, bench_structure
from tests.bench.looks import bench_finishes, bench_recipe, bench_shared
from tests.bench.painting import bench_painting
from tests.bench.pictures import bench_edits, bench_material, bench_rows
from tests.bench.starting import bench_start
from tests.bench.strokes import bench_strokes
from tests.support import Demo, stage_renderer


def main(wanted: list[str]) -> None:
    with tempfile.TemporaryDirectory(prefix="jade-coat-bench-") as place:
        folder = Path(place) / "terrace"
        build(folder)
        opened = open_project(folder)
        demo = Demo(opened.project, Library(opened.assets), folder)
        renderer = stage_renderer(create_context(), demo)
        benches = {
            "material": lambda: bench_material(renderer, demo), "rows": lambda: bench_rows(renderer),
            "six_coats": lambda: bench_six_coats(renderer, demo), "edits": lambda: bench_edits(demo),
            "structure": lambda: bench_structure(demo), "section": lambda: bench_section(renderer, demo),
            "painting": bench_painting, "strokes": lambda: bench_strokes(folder), "shared": bench_shared, "finishes": bench_finishes, "recipe": lambda: bench_recipe(renderer),
            "bake": lambda: bench_bake(demo), "start": lambda: bench_start(folder),
            "sixty_sets": lambda: bench_sixty_sets(Path(place)),
        }  # fmt: skip
        results = [line for name, bench in benches.items() if not wanted or name in wanted for line in bench()]
    print(json.dumps(results, indent=1))


if __name__ == "__main__":
    main(sys.argv[1:])
