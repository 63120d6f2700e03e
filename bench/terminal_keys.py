#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""terminal_keys.py KURVOCTL SOURCE: how long the terminal view takes to show its first screen and to answer keys, and
how many bytes it sends for each. An answer is over with its last byte before 80 ms of silence."""
import os, pty, select, statistics, struct, sys, termios, time, fcntl

SILENCE = 0.08


def read_answer(fd, patience=20.0):
    """Time of the first and of the last byte, and how many came."""
    first = last = None
    size = 0
    until = time.monotonic() + patience
    while True:
        wait = SILENCE if first else max(0.0, until - time.monotonic())
        if not select.select([fd], [], [], wait)[0]:
            return first, last, size
        last = time.monotonic()
        first = first or last
        size += len(os.read(fd, 65536))


def main():
    program, source = sys.argv[1:3]
    begin = time.monotonic()
    pid, fd = pty.fork()
    if pid == 0:
        os.environ.update(TERM="xterm-256color", LC_ALL="C.UTF-8")
        os.execv(program, [program, "browse", source])
    fcntl.ioctl(fd, termios.TIOCSWINSZ, struct.pack("HHHH", 24, 80, 0, 0))
    first, _, _ = read_answer(fd)
    print(f"first byte after the start: {1000 * (first - begin):.0f} ms")
    time.sleep(float(os.environ.get("SETTLE", "6")))
    while select.select([fd], [], [], 0.3)[0]:
        os.read(fd, 65536)
    down, up = b"\033OB", b"\033OA"
    keys = {"down": down, "up": up, "page down": b"\033[6~", "into": b"\r", "out": b"\177", "weight": b"w",
            "open in place": b"\033OC", "close": b"\033OD", "measure": b"\033OQ", "order": b"\033OR"}
    for name, key in keys.items():
        times, sizes = [], []
        for _ in range(9):
            sent = time.monotonic()
            os.write(fd, key)
            first, last, size = read_answer(fd, 1.0)
            if first:
                times.append(1000 * (last - sent))
                sizes.append(size)
        if times:
            print(f"{name:<14} {statistics.median(times):6.1f} ms ({min(times):.1f} to {max(times):.1f})  "
                  f"{statistics.median(sizes):6.0f} bytes")
    os.write(fd, b"q")
    os.waitpid(pid, 0)


main()
