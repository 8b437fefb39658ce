#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""The layer check can fail: each kind of breach, planted in a small tree, is found, and a clean tree passes."""
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
from check_layers import check  # noqa: E402

CASES = [
    ("core/base/a.h", '#include "core/job/job.h"\n', "must not include"),
    ("core/points/a.cpp", '#include "core/finds/f.h"\n', "must not include"),
    ("core/job/a.cpp", '#include "desktop/x.h"\n', "must not include"),
    ("cli/a.cpp", '#include "desktop/x.h"\n', "must not include"),
    ("core/plan/a.h", "#include <QString>\n", "Qt below the desktop"),
    ("words/a.h", "#include <QString>\n", "Qt below the desktop"),
    ("words/a.cpp", '#include "cli/app.h"\n', "must not include"),
    ("core/job/a.cpp", '#include "words/words.h"\n', "must not include"),
    ("desktop/charts/a.h", '#include "desktop/session/session.h"\n', "must not include"),
    ("desktop/models/a.h", '#include "desktop/stations/station.h"\n', "must not include"),
    ("desktop/stations/a.cpp", '#include "desktop/session/session.h"\n', None),
    ("core/reclaim/a.cpp", "void f() { ::unlink(n); }\n", "raw file call"),
    ("core/job/a.cpp", "void f() { ::renameat2(a, b, c, d, 0); }\n", "raw file call"),
    ("core/job/a.cpp", "void f() { std::filesystem::remove_all(p); }\n", "std::filesystem"),
    ("core/proof/a.cpp", "std::ofstream(path) << 1;\n", "raw file call"),
    ("elsewhere/a.cpp", "\n", "lies in no layer"),
    ("core/os/a.cpp", "void f() { ::unlink(n); }\n", None),
    ("core/job/a.cpp", '#include "core/base/b.h"\nvoid f() { files.unlink(at, name); } // ::unlink(x)\n', None),
]

failed = 0
for path, text, expected in CASES:
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / path
        file.parent.mkdir(parents=True)
        file.write_text(text)
        found = check(Path(folder))
    good = not found if expected is None else any(expected in problem for problem in found)
    if not good:
        failed += 1
        print(f"{path}: expected {expected!r}, found {found}")
print(f"{len(CASES) - failed} passed, {failed} failed")
sys.exit(1 if failed else 0)
