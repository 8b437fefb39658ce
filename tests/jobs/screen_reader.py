#!/usr/bin/python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Goes through the six stations as somebody who hears them: by keys, reading through AT-SPI what a screen reader reads.

usage: screen_reader.py TITLE    (of the window that is open; its first drive is chosen)

Prints one JSON object: for each station the things that can be used, by role, name and description, and of tables what
their first rows say.
"""
import json
import subprocess
import sys
import time

import pyatspi

STATIONS = ["Bench", "Survey", "Finds", "Plan", "Reclaim", "Proof"]
TABLES = ("table", "tree table", "tree", "list")


def children(node):
    for i in range(node.childCount if node is not None else 0):
        child = node.getChildAtIndex(i)
        if child is not None:
            yield child


def window(title):
    for app in children(pyatspi.Registry.getDesktop(0)):
        for each in children(app):
            if (each.name or "").startswith(title):
                return each
    return None


def wait(for_what, what, seconds=60):
    end = time.time() + seconds
    while time.time() < end:
        found = what()
        if found:
            return found
        time.sleep(0.2)
    open_ = [w.name for app in children(pyatspi.Registry.getDesktop(0)) for w in children(app)]
    sys.exit(f"waited in vain for {for_what}; open: {open_}")


def press(*keys):
    subprocess.run(["xdotool", "key", *keys], check=True)


def first_rows(node):
    table = node.queryTable()
    said = [[(table.getAccessibleAt(r, c) or node).name for c in range(table.nColumns)]
            for r in range(min(table.nRows, 2))]
    return {"rows": table.nRows, "cells": said}


def read(node, all_, depth=0):
    states = node.getState()
    if depth > 30 or not (states.contains(pyatspi.STATE_SHOWING) and states.contains(pyatspi.STATE_VISIBLE)):
        return
    role = node.getRoleName()
    if states.contains(pyatspi.STATE_FOCUSABLE) or role in TABLES:
        entry = {"role": role, "name": node.name, "description": node.description}
        if role in TABLES:
            entry["table"] = first_rows(node)
        all_.append(entry)
    if role not in TABLES:
        for child in children(node):
            read(child, all_, depth + 1)


def things(title):
    all_ = []
    read(window(title), all_)
    return all_


def rows_of(title, name):
    return sum(t["table"]["rows"] for t in things(title) if "table" in t and t["name"] == name)


def main():
    title = sys.argv[1]

    def at(number):
        press(f"ctrl+{number}")
        return window(f"{title}: {STATIONS[number - 1]}")

    wait("the window", lambda: window(title))
    subprocess.run(["xdotool", "search", "--onlyvisible", "--class", "zip-tally", "windowactivate", "--sync"],
                   check=True)
    wait("the Bench", lambda: at(1))
    press("Return")

    wait("finds", lambda: at(3) and rows_of(title, "Finds") > 0)
    wait("the plan", lambda: at(4))
    # While it works it takes no orders.
    for _ in range(10):
        time.sleep(1)
        if rows_of(title, "Lines of the plan") > 0:
            break
        press("ctrl+p")
    wait("a proposal", lambda: rows_of(title, "Lines of the plan") > 0)
    heard = {}
    for number, station in enumerate(STATIONS, 1):
        wait(station, lambda: at(number))
        time.sleep(0.3)
        heard[station] = things(title)
    print(json.dumps(heard))


main()
