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
    ("core/proof/a.cpp", "std::ofstream(path) << 1;\n", "ofstream outside"),
    ("core/proof/a.cpp", "void f() { std::ofstream out(path); }\n", "ofstream outside"),
    ("core/proof/a.cpp", "#include <fstream>\nvoid f() { std::ifstream in(path); }\n", None),
    ("core/job/a.cpp", "void f() { unlink(path); }\n", "raw file call unlink("),
    ("core/job/a.cpp", "int f() { return rename(a, b); }\n", "raw file call rename("),
    ("core/job/a.cpp", "void f() { const int fd = open(path, 0); }\n", "raw file call open("),
    ("core/job/a.cpp", "void f() { fs::remove_all(p); }\n", "std::filesystem"),
    ("core/job/a.cpp", "using std::filesystem::remove_all;\nvoid f() { remove_all(p); }\n", "raw file call remove_all("),
    ("core/job/a.cpp", "void f() { if (x) truncate(p, 0); }\n", "raw file call truncate("),
    ("core/job/a.cpp", "Result<void> open(const PathBytes& p) const;\nvoid f() { open(p); }\n", None),
    ("core/job/a.cpp", "void f() { const auto open = [](int) {}; open(1); }\n", None),
    ("core/finds/a.h", '#include "core/detect/detector.h"\n', "must not include"),
    ("core/match/a.h", '#include "core/query/question.h"\n', "must not include"),
    ("core/survey/tree/a.cpp", '#include "core/survey/measure/walk.h"\n', "must not include"),
    ("core/survey/tree/a.cpp", '#include "core/survey/files/survey_codec.h"\n', "must not include"),
    ("core/survey/measure/a.cpp", '#include "core/survey/tree/survey_tree.h"\n', None),
    ("core/os/a.h", '#include "core/os/linux/linux_folder.h"\n', "must not include"),
    ("core/os/rights/a.cpp", '#include "core/os/linux/linux_folder.h"\n', None),
    ("desktop/prompter.h", '#include "desktop/frame/main_window.h"\n', "must not include"),
    ("desktop/main.cpp", '#include "desktop/frame/main_window.h"\n', None),
    ("desktop/charts/a.h", '#include "core/job/job.h"\n', "must not include"),
    ("desktop/charts/a.h", '#include "core/drive/target.h"\n', None),
    ("desktop/models/a.h", '#include "core/job/job.h"\n', "must not include"),
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
