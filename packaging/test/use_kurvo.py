# SPDX-License-Identifier: GPL-3.0-or-later
"""Uses the installed Kurvo as its user would, on a display and a session bus: see test-packages.sh. A line a check."""
import glob
import os
import pty
import re
import signal
import subprocess
import sys
import time

HOME = os.path.expanduser("~")
DATA = HOME + "/.local/share/kurvo"
LOG = HOME + "/.local/state/kurvo/kurvo.log"
PASSWORD = b"a long password\n"


def say(ok, what, more=""):
    print(("ok      " if ok else "FAILED  ") + what + ("" if ok else f"  {more}"), flush=True)


def wait(condition, seconds=30):
    end = time.time() + seconds
    while time.time() < end:
        if condition():
            return True
        time.sleep(0.2)
    return False


def snapshots():
    return set(glob.glob(DATA + "/snapshots/*.kurvo"))


def log():
    try:
        with open(LOG, encoding="utf-8", errors="replace") as file:
            return file.read()
    except OSError:
        return ""


def asked():
    return len(re.findall("another start asks", log()))


def end(process):
    process.send_signal(signal.SIGTERM)
    try:
        return process.wait(20) == 0
    except subprocess.TimeoutExpired:
        process.kill()
        return False


os.environ["XDG_CURRENT_DESKTOP"] = "GNOME"  # which asks GIO what a file is and who opens it
os.makedirs(HOME + "/place/below", exist_ok=True)
with open(HOME + "/place/below/file", "wb") as made:
    made.write(b"x" * 100000)

before = snapshots()
window = subprocess.Popen(["kurvo", "--log-level", "debug", HOME + "/place"])
say(wait(lambda: len(snapshots()) > len(before)), "the window scans and keeps a snapshot", log())
picked = sorted(snapshots() - before)

started = time.time()
second = subprocess.run(["kurvo", HOME + "/place/below"], timeout=30)
say(second.returncode == 0 and wait(lambda: asked() >= 1), "a second start hands over and ends", log())
say(wait(lambda: len(snapshots()) >= len(before) + 2), "what was handed over is scanned")

kind = subprocess.run(["xdg-mime", "query", "filetype", picked[0]], capture_output=True, text=True).stdout.strip()
say(kind == "application/x-kurvo-snapshot", "a snapshot is known by its content and name", kind)
program = subprocess.run(["xdg-mime", "query", "default", kind], capture_output=True, text=True).stdout.strip()
say(program == "org.kurvo.Kurvo.desktop", "and is Kurvo's to open", program)
count = asked()
subprocess.run(["xdg-open", picked[0]], timeout=30, capture_output=True)
say(wait(lambda: asked() > count), "xdg-open opens it in the window that is there", log()[-500:])



def call(method, *arguments):
    return subprocess.run(["gdbus", "call", "--session", "--dest", "org.kurvo.Kurvo", "--object-path", "/org/kurvo/Kurvo",
                           "--method", "org.freedesktop.Application." + method, *arguments], timeout=40,
                          capture_output=True, text=True)


count = asked()
call("ActivateAction", "scan-home", "[]", "{}")
say(wait(lambda: asked() > count), "the launcher's menu reaches it", log()[-500:])
say(end(window), "it ends when it is asked to")

# By the bus, when none runs.
answer = call("Activate", "{}")
say(answer.returncode == 0, "the bus starts it", answer.stderr)
subprocess.run(["pkill", "-TERM", "-x", "kurvo"])
say(wait(lambda: subprocess.run(["pgrep", "-x", "kurvo"], capture_output=True).returncode != 0), "and it ends")


# With rights: the window asks pkexec, which asks the agent of this session; here it is one in a terminal, and this types.
def with_terminal(command):
    child, terminal = pty.fork()
    if child == 0:
        os.execvp(command[0], command)
    os.set_blocking(terminal, False)
    return terminal


def heard(terminal):
    try:
        return os.read(terminal, 4096)
    except (BlockingIOError, OSError):
        return b""


os.makedirs(HOME + "/rights/mine", exist_ok=True)
os.makedirs(HOME + "/.config/kurvo", exist_ok=True)
subprocess.run(["sudo", "-S", "sh", "-c", f"mkdir -p {HOME}/rights/theirs && head -c 5000000 /dev/zero >"
                f"{HOME}/rights/theirs/big && chmod 700 {HOME}/rights/theirs"], input=PASSWORD, capture_output=True)
with open(HOME + "/.config/kurvo/settings.ini", "a", encoding="utf-8") as settings:
    settings.write("\n[scan]\nwithRights=true\n")
window = subprocess.Popen(["kurvo", "--log-level", "debug"])
wait(lambda: call("Activate", "{}").returncode == 0)
agent = with_terminal(["pkttyagent", "--process", str(window.pid)])
time.sleep(2)
before = snapshots()
subprocess.run(["kurvo", HOME + "/rights"], timeout=30)
said, typed, found = b"", False, ""
until = time.time() + 60
while time.time() < until and "theirs/big" not in found:
    said += heard(agent)
    if b"assword" in said and not typed:
        os.write(agent, PASSWORD)
        typed = True
    found = "".join(subprocess.run(["kurvoctl", "largest", path], capture_output=True, text=True).stdout
                    for path in snapshots() - before)
    time.sleep(0.3)
words = said.decode(errors="replace")
say(typed, "pkexec asks for the password", words[-600:])
say("names and sizes" in words, "with the words of the installed action", words[-600:])
say("theirs/big" in found, "what only root may read is in the snapshot", found + log()[-600:] + words[-600:])
say(end(window), "and the window ends")
sys.exit(0)
