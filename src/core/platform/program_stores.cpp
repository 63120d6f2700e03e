// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/program_stores.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <climits>
#include <map>
#include <optional>
#include <set>

#include <nlohmann/json.hpp>

#include "core/base/text.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

constexpr std::size_t mostThings = 10000;
using Json = nlohmann::json;

std::vector<std::string> namesIn(const std::string& folder)
{
    std::vector<std::string> names;
    const UniqueFd fd(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
    DIR* dir = fd ? ::fdopendir(::dup(fd.get())) : nullptr;
    if (!dir)
        return names;
    while (const auto* entry = ::readdir(dir))
        if (std::string_view(entry->d_name) != "." && std::string_view(entry->d_name) != "..")
            names.emplace_back(entry->d_name);
    ::closedir(dir);
    std::sort(names.begin(), names.end());
    return names;
}

std::optional<std::string> contentOf(const std::string& path)
{
    const UniqueFd fd(::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY));
    struct stat s { };
    constexpr off_t most = 16 << 20;
    if (!fd || ::fstat(fd.get(), &s) != 0 || !S_ISREG(s.st_mode) || s.st_size > most)
        return std::nullopt;
    std::string text(static_cast<std::size_t>(s.st_size), '\0');
    const auto got = ::read(fd.get(), text.data(), text.size());
    text.resize(got > 0 ? static_cast<std::size_t>(got) : 0);
    return text;
}

Json jsonIn(const std::string& path)
{
    const auto text = contentOf(path);
    return text ? Json::parse(*text, nullptr, false) : Json(Json::value_t::discarded);
}

std::string textAt(const Json& json, const char* key)
{
    const auto found = json.is_object() ? json.find(key) : json.end();
    return json.is_object() && found != json.end() && found->is_string() ? found->get<std::string>() : std::string();
}

/// The one name that a link says; nothing where it says a path.
std::string linkName(const std::string& path)
{
    char target[PATH_MAX];
    const auto length = ::readlink(path.c_str(), target, sizeof target);
    const std::string_view text(target, length > 0 ? static_cast<std::size_t>(length) : 0);
    return text.find('/') == text.npos ? std::string(text) : std::string();
}

bool isFolder(const std::string& path)
{
    struct stat s { };
    return ::lstat(path.c_str(), &s) == 0 && S_ISDIR(s.st_mode);
}

/// A name out of somebody else's file that is to become a part of a path.
bool isPlainName(std::string_view name)
{
    return !name.empty() && name.size() < 256 && name != "." && name != ".." && name.find('/') == name.npos &&
           name.find('\0') == name.npos;
}

std::string shortId(const std::string& id)
{
    return id.substr(0, 12);
}

void readSnaps(const std::string& root, std::vector<StoredThing>& all)
{
    const auto folder = joinPath(root, "var/lib/snapd/snaps");
    std::map<std::string, std::vector<std::string>> revisions;
    for (const auto& file : namesIn(folder)) {
        const auto mark = file.rfind('_');
        if (file.ends_with(".snap") && mark != file.npos && mark > 0)
            revisions[file.substr(0, mark)].push_back(file.substr(mark + 1, file.size() - mark - 6));
    }
    for (const auto& [name, list] : revisions) {
        const auto current = linkName(joinPath(root, "snap/" + name + "/current"));
        for (const auto& revision : list) {
            const bool old = !current.empty() && revision != current && list.size() > 1;
            all.push_back(
                {"snap",
                 "revision",
                 name + ", revision " + revision,
                 {folder + "/" + name + "_" + revision + ".snap"},
                 "sudo snap remove " + shellQuoted(name) + (old ? " --revision=" + shellQuoted(revision) : ""),
                 !old,
                 old ? "An earlier revision that stayed after an update to " + current + "." : "The revision in use."});
        }
    }
}

/// "runtime/org.shore.Platform/x86_64/24.08" of a key file.
std::vector<std::string> runtimesOf(const std::string& metadata)
{
    std::vector<std::string> names;
    const auto text = contentOf(metadata);
    for (std::size_t at = 0; text && at < text->size();) {
        const auto end = std::min(text->find('\n', at), text->size());
        const auto line = std::string_view(*text).substr(at, end - at);
        for (const auto* key : {"runtime=", "sdk=", "base="})
            if (line.starts_with(key)) {
                auto value = std::string(line.substr(std::string_view(key).size()));
                names.push_back(value.starts_with("app/") ? value.substr(4) : value);
            }
        at = end + 1;
    }
    return names;
}

void readFlatpak(const std::string& folder, bool user, std::vector<StoredThing>& all)
{
    struct Deployed {
        std::string kind, ref, path, active;
    };
    std::vector<Deployed> found;
    std::set<std::string> wanted;
    for (const auto* kind : {"app", "runtime"})
        for (const auto& id : namesIn(joinPath(folder, kind)))
            for (const auto& arch : namesIn(joinPath(folder, std::string(kind) + "/" + id)))
                for (const auto& branch : namesIn(joinPath(folder, std::string(kind) + "/" + id + "/" + arch))) {
                    const auto ref = id + "/" + arch + "/" + branch;
                    const auto path = joinPath(folder, std::string(kind) + "/" + ref);
                    if (arch == "current" || !isFolder(path))
                        continue;
                    const auto active = linkName(path + "/active");
                    if (!isPlainName(active) || found.size() >= mostThings)
                        continue;
                    found.push_back({kind, ref, path, active});
                    if (found.back().kind == "app")
                        for (auto& runtime : runtimesOf(path + "/" + active + "/metadata"))
                            wanted.insert(std::move(runtime));
                }
    for (const auto& one : found) {
        const bool app = one.kind == "app";
        const auto id = one.ref.substr(0, one.ref.find('/'));
        // Extensions (locales, codecs, drivers) begin with the name of what they extend.
        const bool needed =
            app || wanted.contains(one.ref) ||
            std::any_of(wanted.begin(), wanted.end(),
                        [&](const auto& w) { return id.starts_with(w.substr(0, w.find('/')) + "."); }) ||
            std::any_of(found.begin(), found.end(),
                        [&](const Deployed& other) {
                            return other.kind == "app" &&
                                   id.starts_with(other.ref.substr(0, other.ref.find('/')) + ".");
                        }) ||
            id.find(".GL.") != id.npos || id.find(".openh264") != id.npos;
        const std::string scope = user ? "flatpak uninstall --user " : "flatpak uninstall ";
        all.push_back(
            {"flatpak",
             app ? "program" : "runtime",
             one.ref,
             {one.path + "/" + one.active},
             needed ? scope + shellQuoted(id) : scope + "--unused",
             needed,
             needed ? app ? "A program." : "A runtime that a program needs." : "A runtime that no program needs."});
        for (const auto& revision : namesIn(one.path))
            if (revision != one.active && isFolder(one.path + "/" + revision))
                all.push_back({"flatpak",
                               "revision",
                               one.ref + ", " + shortId(revision),
                               {one.path + "/" + revision},
                               user ? "flatpak repair --user" : "sudo flatpak repair",
                               false,
                               "An earlier revision that stayed after an update."});
    }
}

void readDocker(const std::string& folder, std::vector<StoredThing>& all)
{
    const auto base = joinPath(folder, "image/overlay2");
    const auto repositories = jsonIn(base + "/repositories.json");
    if (!repositories.is_object())
        return;
    std::map<std::string, std::vector<std::string>> tags; // by image
    if (const auto list = repositories.find("Repositories"); list != repositories.end() && list->is_object())
        for (const auto& [repository, names] : list->items())
            for (auto one = names.begin(); names.is_object() && one != names.end(); ++one)
                if (one.value().is_string() && one.key().find('@') == std::string::npos)
                    tags[one.value().get<std::string>()].push_back(one.key());
    std::set<std::string> used, mounted;
    for (const auto& id : namesIn(joinPath(folder, "containers"))) {
        const auto config = jsonIn(joinPath(folder, "containers/" + id + "/config.v2.json"));
        if (!config.is_object())
            continue;
        used.insert(textAt(config, "Image"));
        if (const auto points = config.find("MountPoints"); points != config.end() && points->is_object())
            for (const auto& [where, point] : points->items())
                mounted.insert(textAt(point, "Name"));
        auto name = textAt(config, "Name");
        name.erase(0, name.starts_with('/') ? 1 : 0);
        const auto state = config.find("State");
        const bool runs = state != config.end() && state->is_object() && state->contains("Running") &&
                          (*state)["Running"].is_boolean() && (*state)["Running"].get<bool>();
        std::vector<std::string> paths{joinPath(folder, "containers/" + id)};
        const auto layer = contentOf(base + "/layerdb/mounts/" + id + "/mount-id");
        if (layer && isPlainName(*layer))
            paths.push_back(joinPath(folder, "overlay2/" + *layer));
        all.push_back({"docker", "container", name.empty() ? shortId(id) : name, paths,
                       "docker rm " + shellQuoted(name.empty() ? shortId(id) : name), runs,
                       runs ? "A container that runs." : "A container that does not run."});
    }
    // A layer belongs to the images that name it: one that several have goes with none of them alone.
    struct Image {
        std::string id;
        std::vector<std::string> chain;
    };
    std::vector<Image> images;
    std::map<std::string, std::string> cacheIds, chainOf; // by chain id; chain by what it is on
    std::map<std::pair<std::string, std::string>, std::string> next;
    for (const auto& chain : namesIn(base + "/layerdb/sha256")) {
        const auto layer = base + "/layerdb/sha256/" + chain;
        const auto cache = contentOf(layer + "/cache-id"), diff = contentOf(layer + "/diff");
        if (!cache || !diff || !isPlainName(*cache))
            continue;
        cacheIds[chain] = *cache;
        auto parent = contentOf(layer + "/parent").value_or("");
        parent = parent.substr(parent.find(':') + 1);
        next[{parent, *diff}] = chain;
    }
    std::map<std::string, std::size_t> holders;
    for (const auto& id : namesIn(base + "/imagedb/content/sha256")) {
        const auto config = jsonIn(base + "/imagedb/content/sha256/" + id);
        const auto rootfs = config.is_object() ? config.find("rootfs") : config.end();
        if (!config.is_object() || rootfs == config.end() || !rootfs->is_object() || !rootfs->contains("diff_ids"))
            continue;
        Image image{"sha256:" + id, {}};
        std::string above;
        for (const auto& diff : (*rootfs)["diff_ids"]) {
            const auto found = diff.is_string() ? next.find({above, diff.get<std::string>()}) : next.end();
            if (found == next.end())
                break;
            image.chain.push_back(above = found->second);
            ++holders[above];
        }
        images.push_back(std::move(image));
    }
    for (const auto& image : images) {
        std::vector<std::string> paths;
        for (const auto& chain : image.chain)
            if (holders[chain] == 1)
                paths.push_back(joinPath(folder, "overlay2/" + cacheIds[chain]));
        const auto named = tags.find(image.id);
        const auto name =
            named == tags.end() ? shortId(image.id.substr(7)) + ", without a name" : named->second.front();
        const bool needed = used.contains(image.id);
        all.push_back({"docker", "image", name, paths,
                       "docker image rm " + shellQuoted(named == tags.end() ? shortId(image.id.substr(7)) : name),
                       needed, needed ? "A container is made of it." : "No container is made of it."});
    }
    for (const auto& volume : namesIn(joinPath(folder, "volumes")))
        if (isFolder(joinPath(folder, "volumes/" + volume))) {
            const bool needed = mounted.contains(volume);
            all.push_back({"docker",
                           "volume",
                           volume,
                           {joinPath(folder, "volumes/" + volume)},
                           "docker volume rm " + shellQuoted(volume),
                           needed,
                           needed ? "A container has it." : "No container has it: it may be all that is left of one."});
        }
}

void readPodman(const std::string& folder, bool user, std::vector<StoredThing>& all)
{
    const auto images = jsonIn(joinPath(folder, "overlay-images/images.json"));
    const auto layers = jsonIn(joinPath(folder, "overlay-layers/layers.json"));
    const auto containers = jsonIn(joinPath(folder, "overlay-containers/containers.json"));
    if (!images.is_array() || !layers.is_array())
        return;
    std::map<std::string, std::string> parent;
    for (const auto& layer : layers)
        parent[textAt(layer, "id")] = textAt(layer, "parent");
    std::set<std::string> used;
    const std::string run = user ? "podman " : "sudo podman ";
    if (containers.is_array())
        for (const auto& one : containers) {
            const auto id = textAt(one, "id"), layer = textAt(one, "layer");
            used.insert(textAt(one, "image"));
            const auto names = one.is_object() ? one.find("names") : one.end();
            const auto name = names != one.end() && names->is_array() && !names->empty() && names->front().is_string()
                                  ? names->front().get<std::string>()
                                  : shortId(id);
            if (!isPlainName(id))
                continue;
            std::vector<std::string> paths{joinPath(folder, "overlay-containers/" + id)};
            if (isPlainName(layer))
                paths.push_back(joinPath(folder, "overlay/" + layer));
            all.push_back({"podman", "container", name, paths, run + "rm " + shellQuoted(name), true, "A container."});
        }
    std::map<std::string, std::size_t> holders;
    const auto chainOf = [&](const std::string& top) {
        std::vector<std::string> chain;
        for (auto at = top; !at.empty() && parent.contains(at) && chain.size() < 256; at = parent[at])
            chain.push_back(at);
        return chain;
    };
    for (const auto& image : images)
        for (const auto& layer : chainOf(textAt(image, "layer")))
            ++holders[layer];
    for (const auto& image : images) {
        const auto id = textAt(image, "id");
        const auto names = image.is_object() ? image.find("names") : image.end();
        const auto name = names != image.end() && names->is_array() && !names->empty() && names->front().is_string()
                              ? names->front().get<std::string>()
                              : std::string();
        if (!isPlainName(id))
            continue;
        std::vector<std::string> paths;
        for (const auto& layer : chainOf(textAt(image, "layer")))
            if (holders[layer] == 1 && isPlainName(layer))
                paths.push_back(joinPath(folder, "overlay/" + layer));
        const bool needed = used.contains(id);
        all.push_back({"podman", "image", name.empty() ? shortId(id) + ", without a name" : name, paths,
                       run + "image rm " + shellQuoted(name.empty() ? shortId(id) : name), needed,
                       needed ? "A container is made of it." : "No container is made of it."});
    }
    // Which container has which volume stands in a database of its own, which is not read: they count as needed.
    for (const auto& volume : namesIn(joinPath(folder, "volumes")))
        if (isFolder(joinPath(folder, "volumes/" + volume)))
            all.push_back({"podman",
                           "volume",
                           volume,
                           {joinPath(folder, "volumes/" + volume)},
                           run + "volume rm " + shellQuoted(volume),
                           true,
                           "Whether a container has it is not known."});
}

} // namespace

std::vector<StoredThing> readProgramStores(const std::string& root, const std::vector<std::string>& homes)
{
    std::vector<StoredThing> all;
    readSnaps(root, all);
    readFlatpak(joinPath(root, "var/lib/flatpak"), false, all);
    readDocker(joinPath(root, "var/lib/docker"), all);
    readPodman(joinPath(root, "var/lib/containers/storage"), false, all);
    for (const auto& home : homes) {
        readFlatpak(joinPath(home, ".local/share/flatpak"), true, all);
        readPodman(joinPath(home, ".local/share/containers/storage"), true, all);
    }
    if (all.size() > mostThings)
        all.resize(mostThings);
    return all;
}

} // namespace kurvo
