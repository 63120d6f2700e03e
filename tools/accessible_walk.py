# SPDX-License-Identifier: GPL-3.0-or-later
"""See accessible_walk.sh. Ends with 0 when all is as it should be; says what is not."""
import subprocess
import sys
import time

import gi

gi.require_version("Atspi", "2.0")
from gi.repository import Atspi  # noqa: E402

problems = []


def children(one):
    for i in range(max(0, one.get_child_count())):
        child = one.get_child_at_index(i)
        if child is not None:
            yield child


def all_below(one, level=0):
    yield one
    # The cells of lists and tables are many, and all of one kind.
    if level > 30 or one.get_role() in (Atspi.Role.TABLE, Atspi.Role.TREE_TABLE):
        return
    for child in children(one):
        yield from all_below(child, level + 1)


def states(one):
    return one.get_state_set()


def shows(one):
    return states(one).contains(Atspi.StateType.SHOWING)


def find(top, role, name):
    for one in all_below(top):
        if one.get_role() == role and one.get_name().startswith(name):
            return one
    return None


def press(one):
    for i in range(one.get_n_actions()):
        if one.get_action_name(i).lower() in ("press", "toggle"):
            return one.do_action(i)
    return False


def wait(condition, seconds=60):
    end = time.time() + seconds
    while time.time() < end:
        found = condition()
        if found:
            return found
        time.sleep(0.3)
    return None


def window():
    desktop = Atspi.get_desktop(0)
    for i in range(desktop.get_child_count()):
        app = desktop.get_child_at_index(i)
        if app is not None and "kurvo" in (app.get_name() or "").lower() and app.get_child_count() > 0:
            return app.get_child_at_index(0)
    return None


def dialogs():
    desktop = Atspi.get_desktop(0)
    for i in range(desktop.get_child_count()):
        app = desktop.get_child_at_index(i)
        if app is None or "kurvo" not in (app.get_name() or "").lower():
            continue
        for one in children(app):
            if one.get_role() in (Atspi.Role.DIALOG, Atspi.Role.FILE_CHOOSER) and shows(one):
                yield one


def key(symbol, name):
    """Presses a key where the focus is, as the keyboard would."""
    if not Atspi.generate_keyboard_event(symbol, None, Atspi.KeySynthType.SYM):
        problems.append(f"{name}: the key could not be pressed")


ESCAPE = 0xff1b


def walk_dialogs(top, counted):
    """Each dialog that can be asked for now: by its button or key, and left by Escape."""
    ways = [("Scan", "Choose the folder", lambda: press(find(top, Atspi.Role.PUSH_BUTTON, "Choose a folder"))),
            ("Scan", "Open a snapshot", lambda: press(find(top, Atspi.Role.PUSH_BUTTON, "Open a snapshot")))]
    for stage, title, ask in ways:
        press(find(top, Atspi.Role.PAGE_TAB, stage))
        time.sleep(1)
        ask()
        box = wait(lambda title=title: next((d for d in dialogs() if d.get_name().startswith(title)), None), 10)
        if not box:
            problems.append(f"{title}: no dialog of that name came")
            continue
        told = list(all_below(box))
        for one in told:
            if states(one).contains(Atspi.StateType.FOCUSABLE) and shows(one) and one != box and \
                    one.get_role() not in (Atspi.Role.FILLER, Atspi.Role.TABLE_CELL) and \
                    not one.get_name() and not one.get_description():
                problems.append(f"{title}: a {one.get_role_name()} has no name")
        counted[title] = f"{box.get_role_name()}, {len(told)} told"
        key(ESCAPE, title)
        if not wait(lambda: not list(dialogs()), 10):
            problems.append(f"{title}: Escape does not leave it")
            return


def main(program):
    Atspi.init()
    process = subprocess.Popen([program, "--demo"], stderr=subprocess.DEVNULL)
    try:
        top = wait(window)
        if not top:
            print("The window is not on the bus.")
            return 1
        wait(lambda: find(top, Atspi.Role.CHECK_BOX, "Skerry system"))
        counted = {}
        for stage in ("Scan", "Explore", "Find", "Compare", "Clear"):
            tab = find(top, Atspi.Role.PAGE_TAB, stage)
            if not tab:
                problems.append(f"{stage}: no tab of that name")
                continue
            press(tab)
            if stage == "Explore":  # the tour opens the first card
                press(wait(lambda: find(top, Atspi.Role.PUSH_BUTTON, "Next"), 20) or tab)
                time.sleep(3)
            time.sleep(2.5)
            told = named = 0
            for one in all_below(top):
                told += 1
                if states(one).contains(Atspi.StateType.FOCUSABLE) and shows(one) and \
                        one.get_role() not in (Atspi.Role.FILLER, Atspi.Role.FRAME):
                    named += 1
                    if not one.get_name() and not one.get_description():
                        problems.append(f"{stage}: a {one.get_role_name()} has no name")
            counted[stage] = f"{told} told, {named} take the focus"
            pictures = {"Explore": (Atspi.Role.LIST, "Treemap"), "Find": (Atspi.Role.CHART, "Age field"),
                        "Compare": (Atspi.Role.LIST, "Treemap of what changed")}
            if stage in pictures:
                picture = wait(lambda: find(top, *pictures[stage]), 10)
                items = list(children(picture)) if picture else []
                if not items or not all(item.get_name() for item in items):
                    problems.append(f"{stage}: {pictures[stage][1]} has {len(items)} items, or one without a name")
                else:
                    counted[stage] += f"; {pictures[stage][1]}: {len(items)} items, the first {items[0].get_name()!r}"
            others = [name for name in ("Explore", "Find", "Compare") if name != stage]
            for other in others:
                if stage in pictures and other in pictures and pictures[other] != pictures[stage]:
                    seen = find(top, *pictures[other])
                    if seen and seen.get_name() == pictures[other][1] and shows(seen):
                        problems.append(f"{stage}: the picture of {other} says that it shows")
        walk_dialogs(top, counted)
        for stage, words in counted.items():
            print(f"{stage}: {words}")
        for problem in problems:
            print("NOT:", problem)
        return 1 if problems or process.poll() is not None else 0
    finally:
        process.terminate()
        process.wait(10)


sys.exit(main(sys.argv[1]))
