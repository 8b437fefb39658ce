#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Reads the #include pairs below src and fails on a back edge, on Qt in the core, and on raw file changes outside core/os.

usage: check_layers.py SRC
"""
import re
import sys
from pathlib import Path

# From the ground up; an include may only point to the same layer or a lower one.
LAYERS = ["core/base", "core/os", "core/images", "core/drive", "core/survey", "core/points", "core/catalogue", "core/finds", "core/plan",
          "core/reclaim", "core/proof", "core/job", "core/report", "core/upkeep", "words"]
TOPS = ["cli", "desktop", "helper"]  # stand on the core, never on each other
# Within the desktop: pictures and models know values, not `Session`.
ROOMS = ["desktop/style", "desktop/charts", "desktop/models", "desktop/session", "desktop/stations", "desktop/frame"]
SIDE_BY_SIDE = [{"core/report", "core/upkeep"}]
RAW = re.compile(r"(?<![\w.>])(?:::|std::)?(?:open|openat|creat|unlink|unlinkat|rename|renameat|renameat2|rmdir|mkdir|mkdirat|truncate|"
                 r"ftruncate|link|linkat|symlink|symlinkat|chmod|chown|utimensat|remove|ofstream|fopen)\s*\(")
FILESYSTEM = re.compile(r"std::filesystem::(?:remove|remove_all|rename|create_|copy|resize_file|permissions|last_write_time)|#include <filesystem>")


def layer_of(path):
    for name in LAYERS + TOPS:
        if path == name or path.startswith(name + "/"):
            return name
    return None


def edge_problem(here, there):
    if here in TOPS:
        return there in TOPS and there != here
    if there in TOPS:
        return True
    if any(here in pair and there in pair and here != there for pair in SIDE_BY_SIDE):
        return True
    return LAYERS.index(there) > LAYERS.index(here)


def room_problem(name, target):
    here = next((i for i, room in enumerate(ROOMS) if name.startswith(room + "/")), None)
    there = next((i for i, room in enumerate(ROOMS) if target.startswith(room + "/")), None)
    return here is not None and there is not None and there > here


def without_comments(text):
    return re.sub(r"//[^\n]*|/\*.*?\*/", "", text, flags=re.S)


def check(src):
    problems = []
    for file in sorted(p for p in src.rglob("*") if p.suffix in (".h", ".cpp")):
        name = file.relative_to(src).as_posix()
        here = layer_of(name)
        if here is None:
            problems.append(f"{name}: lies in no layer")
            continue
        text = file.read_text(encoding="utf-8")
        for target in re.findall(r'#include "([^"]+)"', text):
            there = layer_of(target)
            if there is not None and edge_problem(here, there):
                problems.append(f"{name}: {here} must not include {target}")
            if room_problem(name, target):
                problems.append(f"{name}: must not include {target}")
        if (here.startswith("core/") or here == "words") and re.search(r"#include <Q", text):
            problems.append(f"{name}: Qt below the desktop")
        code = re.sub(r'"(?:[^"\\]|\\.)*"', '""', without_comments(text))
        # Raw calls are those of the C library: with :: before them, or the standard library's file streams for writing.
        for match in RAW.finditer(code):
            raw = match.group(0)
            if here.startswith("core/") and here != "core/os" and (raw.startswith("::") or raw.startswith("std::") or "ofstream" in raw):
                problems.append(f"{name}: raw file call {raw.strip()} outside core/os")
        if here.startswith("core/") and here != "core/os" and FILESYSTEM.search(code):
            problems.append(f"{name}: std::filesystem outside core/os")
    return problems


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("usage: check_layers.py SRC")
    found = check(Path(sys.argv[1]))
    for problem in found:
        print(problem)
    sys.exit(1 if found else 0)
