// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <set>

#include "core/types/file_types.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

Family familyOf(std::string_view name)
{
    return typeInfo(typeOfName(name)).family;
}

} // namespace

TEST_CASE("types are told by extension", "[types]")
{
    CHECK(familyOf("night.flac") == Family::Audio);
    CHECK(familyOf("NIGHT.FLAC") == Family::Audio);
    CHECK(familyOf("clip.mp4") == Family::Video);
    CHECK(familyOf("still-01.jpg") == Family::Pictures);
    CHECK(familyOf("report.odt") == Family::Documents);
    CHECK(familyOf("maps.zip") == Family::Archives);
    CHECK(familyOf("disk.qcow2") == Family::DiskImages);
    CHECK(familyOf("rings.sqlite") == Family::Databases);
    CHECK(familyOf("libtide.so") == Family::Programs);
    CHECK(familyOf("recorder.log") == Family::Logs);
    CHECK(familyOf("no extension") == Family::Unknown);
    CHECK(familyOf("odd.extension-nobody-knows") == Family::Unknown);
    CHECK(familyOf("") == Family::Unknown);
    CHECK(familyOf(".") == Family::Unknown);
    CHECK(familyOf("ends.") == Family::Unknown);
    CHECK(familyOf("bad.\xff\xfe") == Family::Unknown);
    CHECK(typeInfo(typeOfName("night.wav")).name == "WAV audio");
    CHECK(typeInfo(typeOfName("season.tar.gz")).name == "gzip file");
}

TEST_CASE("numbers after an extension do not hide it", "[types]")
{
    CHECK(familyOf("recorder.log.1") == Family::Logs);
    CHECK(familyOf("libtide.so.6.2.1") == Family::Programs);
    CHECK(familyOf("libtide.so.1.2-beta") == Family::Programs);
    CHECK(familyOf("a.so.b") == Family::Unknown);
    CHECK(holdsPrograms("bin"));
    CHECK(holdsPrograms("/usr/sbin"));
    CHECK_FALSE(holdsPrograms("binary"));
    CHECK(typeInfo(typeAmongPrograms("tidecalc")).family == Family::Programs);
    CHECK(typeAmongPrograms("notes.unknown") == 0);
    CHECK(familyOf("syslog.12.gz") == Family::Archives);
    CHECK(familyOf("1.2.3.4") == Family::Unknown);
}

TEST_CASE("names that say what they are without an extension", "[types]")
{
    CHECK(familyOf("core.4711") == Family::Logs);
    CHECK(familyOf("core") == Family::Logs);
    CHECK(familyOf("vmlinuz-6.1.0-13-amd64") == Family::Programs);
    CHECK(familyOf("swapfile") == Family::DiskImages);
    CHECK(familyOf(".~lock.report.odt#") == Family::Logs);
    CHECK(familyOf("letter.odt~") == Family::Archives);
    CHECK(familyOf(".jpg") == Family::Unknown); // a hidden name, not an extension
}

TEST_CASE("the table of types is in order", "[types]")
{
    std::string_view before;
    std::set<std::string_view> seen;
    FileType type = 1;
    for (; typeInfo(type).extension != ""; ++type) {
        const auto& info = typeInfo(type);
        CHECK(before < info.extension);
        CHECK(seen.insert(info.extension).second);
        CHECK(info.extension.size() <= 10);
        CHECK_FALSE(info.name.empty());
        CHECK(info.family != Family::Unknown);
        CHECK(typeOfName("x." + std::string(info.extension)) == type);
        before = info.extension;
    }
    CHECK(type > 300);
    CHECK(typeInfo(60000).name == "unknown");
    for (std::size_t f = 0; f < familyCount; ++f)
        CHECK(std::string(familyName(static_cast<Family>(f))).size() > 3);
}

TEST_CASE("the mix of families adds up", "[types]")
{
    const auto tree = plant(folder(
        "/p", {file("a.flac", 4096), file("b.flac", 4096), folder("sub", {file("c.jpg", 40960)}), file("d", 512)}));
    const auto mix = familyMix(*tree, rootNode);
    CHECK(mix.total == tree->disk(rootNode));
    CHECK(mix.disk[static_cast<std::size_t>(Family::Audio)] == 8192);
    CHECK(mix.files[static_cast<std::size_t>(Family::Audio)] == 2);
    CHECK(mix.largest() == Family::Pictures);
    CHECK(familyMix(*tree, *tree->find("/p/a.flac")).largest() == Family::Audio);
    const auto dominant = dominantFamilies(*tree);
    CHECK((*dominant)[tree->store().folderIndex(rootNode)] == Family::Pictures);
    const auto empty = plant(folder("/p", {}));
    CHECK(familyMix(*empty, rootNode).largest() == Family::Unknown);
    for (std::uint64_t seed = 1; seed < 20; ++seed) {
        const auto random = randomTree(seed);
        const auto families = dominantFamilies(*random);
        CHECK(familyMix(*random, rootNode).total == random->disk(rootNode));
        const auto all = familyMix(*random, rootNode);
        if (all.total > 0)
            CHECK(all.disk[static_cast<std::size_t>((*families)[0])] ==
                  all.disk[static_cast<std::size_t>(all.largest())]);
    }
}
