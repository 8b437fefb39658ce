#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Fails where a class has more public functions of its own than people can keep in mind. What it overrides or inherits is the
contract of another; so are constructors, destructors and operators.

usage: check_classes.py SRC [MOST]
"""
import collections
import subprocess
import sys


def count(src):
    text = subprocess.run(["ctags", "-o", "-", "-R", "--languages=C++", "--langmap=C++:.h", "--kinds-C++=pf", "--fields=+as", "--sort=no", src],
                          capture_output=True, text=True, check=True).stdout
    functions = collections.defaultdict(set)
    for line in text.splitlines():
        name, file, rest = line.split("\t", 2)
        fields = dict(part.split(":", 1) for part in rest.split("\t") if ":" in part and part.split(":", 1)[0] in ("class", "struct", "access"))
        owner = fields.get("class") or fields.get("struct")
        if owner is None or fields.get("access") != "public" or " override" in rest:
            continue
        plain = owner.rsplit("::", 1)[-1]
        if name in (plain, "~" + plain) or name.startswith("operator"):
            continue
        functions[(owner, file)].add((name, rest))
    return {key: len(all_of) for key, all_of in functions.items()}


if __name__ == "__main__":
    most = int(sys.argv[2]) if len(sys.argv) > 2 else 25
    bad = [(n, owner, file) for (owner, file), n in count(sys.argv[1]).items() if n > most]
    for n, owner, file in sorted(bad, reverse=True):
        print(f"{file}: {owner} has {n} public functions, {most} are the most")
    sys.exit(1 if bad else 0)
