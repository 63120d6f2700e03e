// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "core/base/figures.h"
#include "core/platform/trash.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

EntryStat factsOf(const std::string& path)
{
    EntryStat s;
    REQUIRE(statEntry(AT_FDCWD, path.c_str(), s, StatSync::Fresh) == 0);
    return s;
}

Result<TrashedItem> trash(const std::string& path, const UserFolders& user)
{
    return moveToTrash(path, factsOf(path), user);
}

} // namespace

TEST_CASE("something is put into the home trash and comes back as it was", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto path = t.text("work/season report.odt", "the text");
    const auto inode = inodeOf(path);
    const auto item = trash(path, user);
    REQUIRE(item);
    CHECK_FALSE(exists(path));
    CHECK(item->folder.path == user.data + "/Trash");
    CHECK(item->folder.topFolder.empty());
    CHECK(item->originalPath == path);
    CHECK(readAll(item->folder.path + "/files/season report.odt") == "the text");
    const auto info = readAll(item->folder.path + "/info/season report.odt.trashinfo");
    CHECK(info.starts_with("[Trash Info]\nPath=" + t.path()));
    CHECK(info.find("season%20report.odt\n") != std::string::npos);
    auto stamp = formatTime(item->deleted);
    stamp[10] = 'T';
    CHECK(info.find("DeletionDate=" + stamp + "\n") != std::string::npos);

    const auto listed = listTrash(item->folder);
    REQUIRE(listed);
    REQUIRE(listed->size() == 1);
    CHECK(listed->front() == *item);

    REQUIRE(restoreFromTrash(*item));
    CHECK(readAll(path) == "the text");
    CHECK(inodeOf(path) == inode);
    CHECK(namesIn(item->folder.path + "/files").empty());
    CHECK(namesIn(item->folder.path + "/info").empty());
    CHECK_FALSE(restoreFromTrash(*item));
}

TEST_CASE("equal names do not meet in the trash", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto first = trash(t.text("a/notes", "one"), user);
    const auto second = trash(t.text("b/notes", "two"), user);
    const auto third = trash(t.text("c/notes", "three"), user);
    REQUIRE((first && second && third));
    CHECK(first->name == "notes");
    CHECK(second->name == "notes.2");
    CHECK(third->name == "notes.3");
    REQUIRE(restoreFromTrash(*second));
    CHECK(readAll(t / "b/notes") == "two");
    CHECK_FALSE(exists(t / "a/notes"));
}

TEST_CASE("whole folders, links and odd names can be trashed", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    t.text("tree/deep/er/file", "x");
    t.symlink("/etc/passwd", "leads away");
    const std::string odd = "\xff\xfe %20\n";
    t.text("odd/" + odd, "y");
    const std::string longest(255, 'n');
    t.text("odd/" + longest, "z");
    for (const auto& path : {t / "tree", t / "leads away", t / ("odd/" + odd), t / ("odd/" + longest)}) {
        const auto item = trash(path, user);
        REQUIRE(item);
        CHECK_FALSE(exists(path));
        const auto listed = *listTrash(item->folder);
        REQUIRE(listed.size() == 1);
        CHECK(listed.front().originalPath == path);
        REQUIRE(restoreFromTrash(listed.front()));
        CHECK(exists(path));
    }
    CHECK(readAll(t / "tree/deep/er/file") == "x");
    CHECK(isLink(t / "leads away"));
    CHECK(exists("/etc/passwd"));
}

TEST_CASE("restoring never overwrites and says why it cannot", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto path = t.text("work/file", "old");
    const auto item = trash(path, user);
    REQUIRE(item);
    t.text("work/file", "newer");
    const auto blocked = restoreFromTrash(*item);
    REQUIRE_FALSE(blocked);
    CHECK(blocked.error().sentence.find("something newer") != std::string::npos);
    CHECK(readAll(path) == "newer");
    CHECK(readAll(item->folder.path + "/files/file") == "old");
    REQUIRE(::unlink(path.c_str()) == 0);
    REQUIRE(::rmdir((t / "work").c_str()) == 0);
    const auto homeless = restoreFromTrash(*item);
    REQUIRE_FALSE(homeless);
    CHECK(homeless.error().sentence.find("stays in the trash") != std::string::npos);
    t.folder("work");
    CHECK(restoreFromTrash(*item));
    CHECK(readAll(path) == "old");
}

TEST_CASE("what was swapped at the last moment is left where it is", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto path = t.text("file", "checked");
    const auto checked = factsOf(path);
    REQUIRE(::rename(path.c_str(), (t / "kept").c_str()) == 0);
    t.text("file", "another");
    const auto item = moveToTrash(path, checked, user);
    REQUIRE_FALSE(item);
    CHECK(item.error().kind == ErrorKind::Changed);
    CHECK(readAll(path) == "another");
    CHECK(namesIn(user.data + "/Trash/files").empty());
    CHECK(namesIn(user.data + "/Trash/info").empty());
}

TEST_CASE("a folder that was swapped for a link is not followed", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto path = t.text("real/file", "x");
    const auto checked = factsOf(path);
    REQUIRE(::rename((t / "real").c_str(), (t / "moved").c_str()) == 0);
    t.symlink("moved", "real");
    const auto item = moveToTrash(path, checked, user);
    REQUIRE_FALSE(item);
    CHECK(item.error().sentence.find("symbolic link") != std::string::npos);
    CHECK(exists(t / "moved/file"));
}

TEST_CASE("the trash itself cannot be trashed", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto item = trash(t.text("file", "x"), user);
    REQUIRE(item);
    for (const auto& path : {user.data + "/Trash", user.data, user.data + "/Trash/files/file"}) {
        const auto refused = trash(path, user);
        REQUIRE_FALSE(refused);
        CHECK(refused.error().kind == ErrorKind::Unsupported);
        CHECK(exists(path));
    }
}

TEST_CASE("other mounts have a trash of their own", "[trash][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    const auto user = t.user();
    TmpfsMount drive(t / "drive");
    const auto path = drive.path() + "/Recordings/night.flac";
    REQUIRE(makeFolders(drive.path() + "/Recordings"));
    writeAll(path, "sound");

    SECTION("in a folder for this user at the top")
    {
        const auto item = trash(path, user);
        REQUIRE(item);
        CHECK(item->folder.topFolder == drive.path());
        CHECK(item->folder.path == drive.path() + "/.Trash-" + std::to_string(geteuid()));
        const auto info = readAll(item->folder.path + "/info/night.flac.trashinfo");
        CHECK(info.find("Path=Recordings/night.flac\n") != std::string::npos); // relative to the top
        CHECK(existingTrashFolders(drive.path(), user) == std::vector<TrashFolder>{item->folder});
        const auto listed = *listTrash(item->folder);
        REQUIRE(listed.size() == 1);
        CHECK(listed.front().originalPath == path);
        REQUIRE(restoreFromTrash(listed.front()));
        CHECK(readAll(path) == "sound");
    }
    SECTION("in the shared folder where that is right")
    {
        REQUIRE(::mkdir((drive.path() + "/.Trash").c_str(), 0777) == 0);
        REQUIRE(::chmod((drive.path() + "/.Trash").c_str(), 01777) == 0);
        const auto item = trash(path, user);
        REQUIRE(item);
        CHECK(item->folder.path == drive.path() + "/.Trash/" + std::to_string(geteuid()));
        REQUIRE(restoreFromTrash(*item));
    }
    SECTION("a shared folder without the sticky bit, or a link, is not trusted")
    {
        REQUIRE(::mkdir((drive.path() + "/elsewhere").c_str(), 01777) == 0);
        REQUIRE(::symlink("elsewhere", (drive.path() + "/.Trash").c_str()) == 0);
        const auto item = trash(path, user);
        REQUIRE(item);
        CHECK(item->folder.path == drive.path() + "/.Trash-" + std::to_string(geteuid()));
        CHECK(namesIn(drive.path() + "/elsewhere").empty());
    }
    SECTION("a user's folder that is a link is refused")
    {
        REQUIRE(::mkdir((drive.path() + "/elsewhere").c_str(), 0700) == 0);
        REQUIRE(::symlink("elsewhere", (drive.path() + "/.Trash-" + std::to_string(geteuid())).c_str()) == 0);
        const auto refused = trash(path, user);
        REQUIRE_FALSE(refused);
        CHECK(refused.error().kind == ErrorKind::Unsupported);
        CHECK(refused.error().sentence.find("Nothing was changed") != std::string::npos);
        CHECK(readAll(path) == "sound");
    }
    SECTION("a read-only drive has none, and says so")
    {
        REQUIRE(std::system(("mount -o remount,ro '" + drive.path() + "'").c_str()) == 0);
        const auto refused = trash(path, user);
        REQUIRE_FALSE(refused);
        CHECK(refused.error().sentence.find("read-only") != std::string::npos);
    }
    SECTION("a full drive keeps the item where it is")
    {
        TmpfsMount tiny(t / "tiny", "nr_inodes=3,size=64k");
        writeAll(tiny.path() + "/file", "x");
        const auto refused = trash(tiny.path() + "/file", user);
        REQUIRE_FALSE(refused);
        CHECK(readAll(tiny.path() + "/file") == "x");
    }
}

TEST_CASE("without permission at the top of the mount there is no trash, and the reason is said", "[trash][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    TmpfsMount drive(t / "drive");
    REQUIRE(makeFolders(drive.path() + "/mine"));
    writeAll(drive.path() + "/mine/file", "x");
    REQUIRE(::chmod((drive.path() + "/mine").c_str(), 0777) == 0);
    auto user = t.user();
    user.uid = 65534;
    const auto path = drive.path() + "/mine/file";
    const auto status = asNobody([&] {
        EntryStat s;
        if (statEntry(AT_FDCWD, path.c_str(), s, StatSync::Fresh) != 0)
            return false;
        const auto refused = moveToTrash(path, s, user);
        return !refused && refused.error().kind == ErrorKind::Unsupported && exists(path);
    });
    CHECK(status == 0);
}

TEST_CASE("damaged information files do not hide what is in the trash", "[trash]")
{
    TestFolder t;
    const auto user = t.user();
    const auto item = trash(t.text("file", "x"), user);
    REQUIRE(item);
    const auto info = item->folder.path + "/info/file.trashinfo";
    for (const auto* content : {"", "rubbish", "[Trash Info]\nDeletionDate=never\n", "[Trash Info]\nPath\n"}) {
        writeAll(info, content);
        const auto listed = listTrash(item->folder);
        REQUIRE(listed);
        REQUIRE(listed->size() == 1);
        CHECK(listed->front().name == "file");
        CHECK(listed->front().originalPath.empty());
    }
    CHECK_FALSE(listTrash({t / "no trash", ""}));
}

TEST_CASE("without a data folder of the user's there is no home trash, and none is made elsewhere", "[trash]")
{
    TestFolder t;
    const auto path = t.text("place/file", "x");
    EntryStat s;
    REQUIRE(statEntry(AT_FDCWD, path.c_str(), s, StatSync::Fresh) == 0);
    for (const std::string data : {"", "relative/data"}) {
        UserFolders nobody;
        nobody.data = data;
        const auto moved = moveToTrash(path, s, nobody);
        REQUIRE_FALSE(moved);
        CHECK(moved.error().sentence.find("not known") != std::string::npos);
        CHECK(readAll(path) == "x");
        CHECK(existingTrashFolders(path, nobody).empty());
    }
}
