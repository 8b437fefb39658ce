#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Reads the #include pairs below src and fails on a back edge, on Qt in the core, and on raw file changes outside core/os.

usage: check_layers.py SRC
"""
import re
import sys
from pathlib import Path

# From the ground up; an include may only point to the same layer or a lower one.
LAYERS = ["core/base", "core/os", "core/images", "core/drive", "core/survey", "core/points", "core/catalogue", "core/finds",
          "core/match", "core/detect", "core/query", "core/history", "core/plan", "core/reclaim", "core/proof", "core/job", "core/report", "core/upkeep",
          "words", "page"]
TOPS = ["cli", "desktop", "helper"]  # stand on the core, never on each other
# Within the desktop: pictures and models know values, not `Session`.
ROOMS = ["desktop/style", "desktop/charts", "desktop/models", "desktop/session", "desktop/stations", "desktop/frame"]
SIDE_BY_SIDE = [{"core/report", "core/upkeep"}]
# Within a layer: who must not name whom. A room "x/" means the files directly in x.
APART = [("core/survey/tree/", "core/survey/measure/"), ("core/survey/tree/", "core/survey/files/"), ("core/os/", "core/os/linux/"),
         ("desktop/", "desktop/frame/"), ("desktop/charts/", "core/job/"), ("desktop/models/", "core/job/job")]
MAINS = {"desktop/main.cpp", "cli/main.cpp", "helper/main.cpp", "page/main.cpp"}  # they put everything together
CALLS = ("open|openat|creat|unlink|unlinkat|rename|renameat|renameat2|rmdir|mkdir|mkdirat|truncate|ftruncate|link|linkat|symlink|symlinkat|"
         "chmod|fchmod|chown|fchown|fchownat|utimensat|futimens|fallocate|setxattr|removexattr|remove|remove_all|fopen|freopen")
# With :: before it, it is the C library's or std's, whatever else there is.
QUALIFIED = re.compile(rf"(?<![\w>])(?:::|std::)(?:{CALLS})\s*\(")
# Bare, where a statement or an expression begins: a call, not a declaration or a member.
BARE = re.compile(rf"(?:^|[;{{}}()=!,&|?]|\breturn|\belse)\s*({CALLS})\s*\(", re.M)
STREAMS = re.compile(r"(?<!<)\b(?:w?ofstream|w?fstream|basic_ofstream|filebuf)\b")
FILESYSTEM = re.compile(r"\b(?:std::filesystem|fs)::(?:remove|remove_all|rename|create_|copy|resize_file|permissions|last_write_time)|#include <filesystem>")


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


def apart_problem(name, target):
    if name in MAINS:
        return False
    for here, there in APART:
        direct = here in ("core/os/", "desktop/")
        at_home = name.startswith(here) and (not direct or "/" not in name[len(here):])
        if at_home and target.startswith(there):
            return True
    return False


def own_names(code):
    """What a file declares itself by a name of CALLS: a function, a member, a lambda or a parameter."""
    names = set(re.findall(rf"\b(?:auto|Open|Call|Work)\s*&?\s*({CALLS})\s*[=,)]", code))
    names |= set(re.findall(rf"(?<!retur)[\w>&*\]]\s+(?:\w+::)?({CALLS})\s*\([^;{{]*\)\s*(?:const|override|=|;|{{)", code))
    return names


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
            if room_problem(name, target) or apart_problem(name, target):
                problems.append(f"{name}: must not include {target}")
        if (here.startswith("core/") or here == "words") and re.search(r"#include <Q", text):
            problems.append(f"{name}: Qt below the desktop")
        code = re.sub(r'"(?:[^"\\]|\\.)*"', '""', without_comments(text))
        if not here.startswith("core/") or here == "core/os":
            continue
        for match in QUALIFIED.finditer(code):
            problems.append(f"{name}: raw file call {match.group(0).strip()} outside core/os")
        own = own_names(code)
        for match in BARE.finditer(code):
            if match.group(1) not in own:
                problems.append(f"{name}: raw file call {match.group(1)}( outside core/os")
        for match in STREAMS.finditer(code):
            problems.append(f"{name}: {match.group(0)} outside core/os")
        if FILESYSTEM.search(code):
            problems.append(f"{name}: std::filesystem outside core/os")
    return problems


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("usage: check_layers.py SRC")
    found = check(Path(sys.argv[1]))
    for problem in found:
        print(problem)
    sys.exit(1 if found else 0)
