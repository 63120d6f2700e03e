#!/usr/bin/python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Reads a .kurvo snapshot from docs/snapshot-format.md alone, and prints its totals as one JSON object.

read_snapshot.py FILE...; needs Debian's python3-zstandard, python3-xxhash and python3-cbor2.
"""
import json, os, struct, sys
import cbor2, xxhash, zstandard

usual_blocks = lambda size: (size + 4095) // 4096 * 8
NAMES, KINDS, CHILDREN, SIZES, BLOCKS, MODIFIED, NS, INODES, OWNERS, DEVICES, LINKS, INDEX, NOT_READ, STEPS = range(1, 15)
SKIP, PATCH, INSERT, FOLDER = 1, 2, 3, 1


class Column:
    def __init__(self, data):
        self.data, self.at = data, 0

    def varint(self):
        value = shift = 0
        while True:
            byte = self.data[self.at]
            self.at += 1
            value |= (byte & 0x7F) << shift
            shift += 7
            if byte < 0x80:
                return value & 0xFFFFFFFFFFFFFFFF

    def difference(self, previous):
        zigzag = self.varint()
        return (previous + ((zigzag >> 1) ^ -(zigzag & 1))) & 0xFFFFFFFFFFFFFFFF

    def u16(self):
        self.at += 2
        return self.data[self.at - 2] | self.data[self.at - 1] << 8

    def text(self):
        end = self.data.index(0, self.at)
        self.at, begin = end + 1, self.at
        return self.data[begin:end]


def read_file(path):
    """Version, header, and the columns unpacked; the index is only checked."""
    data = open(path, "rb").read()
    if data[:8] != b"KURVOSNP":
        sys.exit("not a snapshot")
    version, size, checksum = struct.unpack_from("<IIQ", data, 8)
    header = data[24 : 24 + size]
    if version > 2 or xxhash.xxh3_64_intdigest(header) != checksum:
        sys.exit("a version that is not known, or a damaged header")
    columns, at, count, head_size = {}, 24 + size, 0, 24 if version == 1 else 40
    while True:
        head = data[at : at + head_size]
        column, stored, raw, items = struct.unpack_from("<IIII", head)
        checksum = struct.unpack_from("<Q", head, head_size - 8)[0]
        packed = data[at + head_size : at + head_size + stored]
        seed = xxhash.xxh3_64_intdigest(head[:-8])
        if column == 0:
            if seed != checksum or items != count or at + head_size != len(data):
                sys.exit("the end is damaged")
            return version, cbor2.loads(header), {k: Column(b"".join(v)) for k, v in columns.items()}
        if xxhash.xxh3_64_intdigest(packed, seed) != checksum:
            sys.exit("a block is damaged")
        if column != INDEX:
            columns.setdefault(column, []).append(zstandard.ZstdDecompressor().decompress(packed, max_output_size=raw))
        at, count = at + head_size + stored, count + 1


def nodes_of(version, columns):
    """The nodes that a file has in full: dictionaries, in breadth-first order."""
    c = [columns.get(k, Column(b"")) for k in range(STEPS + 1)]
    modified = inode = 0
    while c[KINDS].at < len(c[KINDS].data):
        node = {"name": c[NAMES].text(), "kind": c[KINDS].u16(), "size": c[SIZES].varint()}
        node["blocks"] = c[BLOCKS].varint() if version == 1 else c[BLOCKS].difference(usual_blocks(node["size"]))
        node["modified"] = modified = c[MODIFIED].difference(modified)
        node["ns"] = c[NS].varint()
        node["inode"] = inode = c[INODES].difference(inode)
        node["owner"] = c[OWNERS].varint()
        if node["kind"] & 7 == FOLDER:
            node["children"], node["device"] = c[CHILDREN].varint(), c[DEVICES].varint()
        else:
            node["links"] = c[LINKS].varint()
        yield node


def chained(columns, base, own):
    """The nodes of a file that is written as steps over those of its base."""
    steps, c = columns[STEPS], columns
    while steps.at < len(steps.data):
        step = steps.varint()
        for _ in range(step >> 2):
            node = dict(next(own if step & 3 == INSERT else base))
            if step & 3 == PATCH:
                node["size"] = c[SIZES].varint()
                node["blocks"] = c[BLOCKS].difference(usual_blocks(node["size"]))
                node["modified"] = c[MODIFIED].difference(node["modified"])
                node["ns"], node["inode"] = c[NS].varint(), c[INODES].difference(node["inode"])
                if node["kind"] & 7 == FOLDER:
                    node["children"] = c[CHILDREN].varint()
            if step & 3 != SKIP:
                yield node


def read(path):
    version, header, columns = read_file(path)
    nodes = nodes_of(version, columns)
    if "base" in header:
        folder = os.path.dirname(os.path.abspath(path))
        base_id, name = header["base"]["id"], os.fsdecode(header["base"]["file"])
        for place in (os.path.join(folder, ".bases", base_id + ".kurvo"), os.path.join(folder, name)):
            if os.path.exists(place) and (base := read_file(place))[1].get("id") == base_id:
                break
        else:
            sys.exit("its base is not there")
        nodes = chained(columns, nodes_of(base[0], base[2]), nodes)
    return version, header, nodes


def totals_of(path):
    version, header, nodes = read(path)
    root = next(nodes)
    folders = [(root["name"], root["children"], root["device"])]
    linked = {}
    totals = {"files": 0, "folders": 0, "apparent_bytes": 0, "disk_bytes": root["blocks"] * 512}
    for path, children, device in folders:  # grows meanwhile: breadth first
        for _ in range(children):
            node = next(nodes)
            kind, full = node["kind"] & 7, path.rstrip(b"/") + b"/" + node["name"]
            if kind == FOLDER:
                folders.append((full, node["children"], node["device"]))
                totals["folders"] += 1
                totals["disk_bytes"] += 0 if node["kind"] & 16 else node["blocks"] * 512
                continue
            totals["files"] += 1
            if node["links"] > 1 and linked.setdefault((device, node["inode"]), full) != full:
                continue
            totals["apparent_bytes"] += node["size"] if kind in (0, 2) else 0
            totals["disk_bytes"] += node["blocks"] * 512
    if next(nodes, None) is not None or totals["files"] + totals["folders"] != header["entries"]:
        sys.exit("there are more or fewer entries than the header says")
    print(json.dumps({"version": version, "place": os.fsdecode(header["place"]), "entries": header["entries"], **totals}))


for each in sys.argv[1:]:
    totals_of(each)
