// SPDX-License-Identifier: GPL-3.0-or-later
// What other package systems keep beside the distribution's: snap's revisions, flatpak's programs and runtimes, images,
// containers and volumes of docker and podman. Read from their own metadata files as they lie there; nothing is run,
// and nothing in them is ever to be removed by its path: each thing names the command of its own tool.
//
// Formats, all undocumented but stable for years: snapd keeps SNAP_REVISION.snap and a link /snap/NAME/current; flatpak
// app|runtime/ID/ARCH/BRANCH/COMMIT with a link `active` and a key file `metadata`; docker's overlay2 driver
// image/overlay2/{repositories.json,imagedb,layerdb}; containers/storage overlay-{images,layers,containers}/*.json.
// What is half there, of another version or cannot be read is left out.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace kurvo {

struct StoredThing {
    std::string store;              ///< "snap", "flatpak", "docker", "podman"
    std::string kind;               ///< "revision", "program", "runtime", "image", "container", "volume"
    std::string name;               ///< for people
    std::vector<std::string> paths; ///< that belong to it alone; bytes, absolute
    std::string command;            ///< that removes it
    bool needed = true;             ///< something uses it, or it is the current one
    std::string why;                ///< why it is not, or by what it is: a sentence
};

/// `root`: of the system, "/" or the mount point of another machine's drive; `homes`: home folders to look into as
/// well. Links that lead outside of their store are not followed. Bounded: files of more than 16 MiB are not read, and
/// no more than 10,000 things are told.
std::vector<StoredThing> readProgramStores(const std::string& root = "/", const std::vector<std::string>& homes = {});

} // namespace kurvo
