// SPDX-License-Identifier: GPL-3.0-or-later
// The real program on a session bus of its own: a second start, the desktop's requests; and what the desktop is told.
#include <catch2/catch.hpp>

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusUnixFileDescriptor>
#include <QDir>
#include <QProcess>

#include <fcntl.h>

#include <filesystem>

#include "app/services/desktop.h"
#include "app/services/log.h"
#include "app/shell/away.h"
#include "app/window_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"
#include "core/upkeep/run.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// A bus, and programs on it.
struct Session {
    Session()
    {
        bus.start("dbus-daemon", {"--session", "--nofork", "--print-address=1"});
        REQUIRE(bus.waitForStarted());
        REQUIRE(Window::until([&] { return bus.canReadLine(); }));
        address = QString::fromUtf8(bus.readLine()).trimmed();
        t.folder("home");
        t.folder("data");
    }
    ~Session()
    {
        for (auto& program : programs) {
            program->terminate();
            if (!program->waitForFinished(20000))
                program->kill();
        }
        bus.kill();
        bus.waitForFinished();
    }
    QProcess& start(const QStringList& arguments, const QString& on = {})
    {
        auto environment = QProcessEnvironment::systemEnvironment();
        environment.insert("DBUS_SESSION_BUS_ADDRESS", on.isEmpty() ? address : on);
        environment.insert("HOME", QString::fromStdString(t / "home"));
        environment.insert("XDG_DATA_HOME", QString::fromStdString(t / "home/share"));
        environment.insert("XDG_CONFIG_HOME", QString::fromStdString(t / "home/config"));
        environment.insert("XDG_STATE_HOME", QString::fromStdString(t / "home/state"));
        programs.push_back(std::make_unique<QProcess>());
        auto& program = *programs.back();
        program.setProcessEnvironment(environment);
        program.start(KURVO_PROGRAM, arguments);
        REQUIRE(program.waitForStarted());
        return program;
    }
    static int ended(QProcess& program)
    {
        REQUIRE(program.waitForFinished(30000));
        return program.exitCode();
    }
    std::size_t snapshots(const std::string& data) const
    {
        std::size_t count = 0;
        std::error_code ignored;
        for (const auto& entry : std::filesystem::directory_iterator(data + "/snapshots", ignored))
            count += entry.path().extension() == ".kurvo" ? 1 : 0;
        return count;
    }
    bool kept(const std::string& data, std::size_t count)
    {
        return QTest::qWaitFor([&] { return snapshots(data) == count; }, 30000);
    }

    TestFolder t;
    QProcess bus;
    QString address;
    std::vector<std::unique_ptr<QProcess>> programs;
};

/// Stands in for the desktop.
struct Desk : QObject {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.freedesktop.Notifications")
public:
    QStringList said, buttons;
public slots:
    uint Notify(const QString&, uint replaces, const QString&, const QString& title, const QString& text,
                const QStringList& actions, const QVariantMap&, int)
    {
        said << QStringLiteral("%1|%2|%3").arg(replaces).arg(title, text);
        buttons = actions;
        return 7;
    }
signals:
    void ActionInvoked(uint id, const QString& action);
    void NotificationClosed(uint id, uint reason);
};

struct Login : QObject {
    Q_OBJECT
    Q_CLASSINFO("D-Bus Interface", "org.freedesktop.login1.Manager")
public:
    int held() const { return ends[0]; }
    int ends[2] = {-1, -1};
    QString what;
public slots:
    QDBusUnixFileDescriptor Inhibit(const QString& kinds, const QString&, const QString&, const QString&)
    {
        what = kinds;
        REQUIRE(::pipe2(ends, O_CLOEXEC | O_NONBLOCK) == 0);
        QDBusUnixFileDescriptor given(ends[1]);
        ::close(ends[1]);
        return given;
    }
};

} // namespace

TEST_CASE("what a rule did is told on the desktop, and taken back from there", "[window][desktop][upkeep]")
{
    Session s;
    const auto data = s.t / "home/share/kurvo";
    UserFolders user{s.t / "home", s.t / "home/share", s.t / "home/config", ::geteuid()};
    const auto path = s.t.text("home/films/old.mkv", "what was filmed");
    PlanFile plan;
    plan.host = hostName();
    plan.place = s.t / "home";
    const auto planned = readPlannedItem(path, {});
    REQUIRE(planned);
    plan.items = {*planned};
    plan.written = currentTime();
    std::int64_t run = 0;
    {
        Logbook logbook(data + "/logbook.db");
        RunOptions options;
        options.guard.user = user;
        options.rule = "films";
        const auto ran = runPlan(logbook, plan, options);
        REQUIRE(ran);
        run = ran->run.id;
    }
    REQUIRE_FALSE(exists(path));
    UpkeepBook book;
    book.news.push_back({currentTime(), "Old films", "1 item, 4.00 KiB put into the trash.", run});
    REQUIRE(writeUpkeepBook(data + "/upkeep.json", book));
    auto& alone = s.start({"--tell-upkeep"});
    CHECK(s.ended(alone) == 0); // nobody shows it: the window will tell it
    CHECK(readUpkeepBook(data + "/upkeep.json").news.size() == 1);

    auto connection = QDBusConnection::connectToBus(s.address, "upkeep desk");
    Desk desk;
    REQUIRE(connection.registerObject("/org/freedesktop/Notifications", &desk,
                                      QDBusConnection::ExportAllSlots | QDBusConnection::ExportAllSignals));
    REQUIRE(connection.registerService("org.freedesktop.Notifications"));
    auto& teller = s.start({"--tell-upkeep"});
    REQUIRE(QTest::qWaitFor([&] { return desk.said.size() == 1; }, 20000));
    CHECK(desk.said[0].contains("Old films: 1 item"));
    CHECK(desk.buttons.contains("undo"));
    CHECK(QTest::qWaitFor([&] { return readUpkeepBook(data + "/upkeep.json").news.empty(); }, 5000)); // told
    emit desk.ActionInvoked(7, "undo");
    REQUIRE(QTest::qWaitFor([&] { return desk.said.size() == 2; }, 20000));
    CHECK(desk.said[1].contains("back in place"));
    CHECK(readAll(path) == "what was filmed");
    CHECK(s.ended(teller) == 0);
    QDBusConnection::disconnectFromBus("upkeep desk");
}

TEST_CASE("paths go over the bus as they are", "[window][desktop]")
{
    for (const std::string path : {"/a b/c%d", "/caf\xc3\xa9", "/not\xff\xfeutf8", "/new\nline"})
        CHECK(app::pathOf(app::uriOf(path)) == path);
    CHECK(app::uriOf("/a b") == "file:///a%20b");
    CHECK(app::pathOf("https://a/b").empty());
}

TEST_CASE("a second start hands over, but not into another data folder or a new window", "[window][desktop]")
{
    Session s;
    s.t.file("one place/a", 4000);
    s.t.file("two/b", 4000);
    s.t.file("three/c", 4000);
    const auto data = s.t / "data";
    const auto in = [](const std::string& folder, const std::string& path, const QStringList& more = {}) {
        return QStringList{"--data", QString::fromStdString(folder)} + more + QStringList{QString::fromStdString(path)};
    };
    auto& first = s.start(in(data, s.t / "one place"));
    REQUIRE(s.kept(data, 1));
    CHECK(Session::ended(s.start(in(data, s.t / "two"))) == 0);
    CHECK(s.kept(data, 2));
    CHECK(first.state() == QProcess::Running);

    auto& other = s.start(in(s.t / "elsewhere", s.t / "two"));
    CHECK(s.kept(s.t / "elsewhere", 1));
    CHECK(other.state() == QProcess::Running);
    auto& another = s.start(in(data, s.t / "three", {"--new-window"}));
    CHECK(s.kept(data, 3));
    CHECK(another.state() == QProcess::Running);
    // The first is still the one that is asked.
    CHECK(Session::ended(s.start(in(data, s.t / "three/"))) == 0);
    CHECK(s.kept(data, 4));

    // A name that is no text comes over as it is.
    const auto odd = s.t / "od\xff\xfe";
    s.t.file("od\xff\xfe/d", 4000);
    auto command = "DBUS_SESSION_BUS_ADDRESS='" + s.address.toStdString() + "' HOME='" + (s.t / "home") +
                   "' " KURVO_PROGRAM " --data '" + data + "' '" + odd + "'";
    CHECK(std::system(command.c_str()) == 0);
    CHECK(s.kept(data, 5));

    // Without a bus each start is a window.
    auto& alone = s.start(in(data, s.t / "two"), "disabled:");
    CHECK(s.kept(data, 6));
    CHECK(alone.state() == QProcess::Running);
}

TEST_CASE("the desktop opens paths and actions in the usual place, and wrong words are told", "[window][desktop]")
{
    Session s;
    s.t.file("home/a", 4000);
    s.t.file("place/b", 4000);
    const auto data = s.t / "home/share/kurvo";
    auto& program = s.start({"--activated"});
    auto bus = QDBusConnection::connectToBus(s.address, "asking");
    const auto call = [&](const char* method, const QVariantList& arguments) {
        auto message = QDBusMessage::createMethodCall("org.kurvo.Kurvo", "/org/kurvo/Kurvo",
                                                      "org.freedesktop.Application", QString::fromLatin1(method));
        message.setArguments(arguments);
        return bus.call(message, QDBus::Block, 10000).type() == QDBusMessage::ReplyMessage;
    };
    REQUIRE(Window::until([&] { return call("Activate", {QVariantMap()}); }));
    CHECK(call("Open", {QStringList{app::uriOf(s.t / "place"), "https://nowhere/"}, QVariantMap()}));
    CHECK(s.kept(data, 1));
    CHECK(call("ActivateAction", {"scan-home", QVariantList(), QVariantMap()}));
    CHECK(s.kept(data, 2));
    CHECK(call("ActivateAction", {"nonsense", QVariantList(), QVariantMap()}));
    CHECK(program.state() == QProcess::Running);
    QDBusConnection::disconnectFromBus("asking");
    CHECK(Session::ended(s.start({"--action", "nonsense"})) == 2);
    CHECK(Session::ended(s.start({"--log-level", "loud"})) == 2);

    // What it did stands in the log, without a name.
    program.terminate();
    CHECK(Session::ended(program) == 0);
    const auto log = app::lastOfLog(s.t / "home/state/kurvo", 1 << 20);
    CHECK(log.find("Kurvo 0.") != log.npos);
    CHECK(log.find("a scan ended: 1 files") != log.npos);
    CHECK(log.find("Kurvo ends") != log.npos);
    CHECK(log.find("place") == log.npos);
}

TEST_CASE("the desktop is told, and the machine is kept awake as long as it is asked for", "[window][desktop]")
{
    Session s;
    auto server = QDBusConnection::connectToBus(s.address, "server");
    Desk desk;
    Login login;
    REQUIRE(server.registerObject("/org/freedesktop/Notifications", &desk,
                                  QDBusConnection::ExportAllSlots | QDBusConnection::ExportAllSignals));
    REQUIRE(server.registerObject("/org/freedesktop/login1", &login, QDBusConnection::ExportAllSlots));
    REQUIRE(server.registerService("org.freedesktop.Notifications"));
    REQUIRE(server.registerService("org.freedesktop.login1"));
    const auto client = QDBusConnection::connectToBus(s.address, "client");
    {
        app::Desktop desktop(nullptr, client, client);
        int chosen = 0;
        QObject::connect(&desktop, &app::Desktop::notificationChosen, [&] { ++chosen; });
        desktop.notify("Done", "a <b> & c");
        REQUIRE(Window::until([&] { return desk.said.size() == 1; }));
        CHECK(desk.said[0] == "0|Done|a &lt;b&gt; &amp; c");
        QTest::qWait(100);
        desktop.notify("Again", "");
        REQUIRE(Window::until([&] { return desk.said.size() == 2; }));
        CHECK(desk.said[1] == "7|Again|"); // in place of the first
        emit desk.ActionInvoked(7, "default");
        CHECK(Window::until([&] { return chosen == 1; }));

        const auto isHeld = [&] {
            char byte;
            return ::read(login.held(), &byte, 1) < 0; // else all that could write have let go
        };
        desktop.keepAwake(true, "because");
        desktop.keepAwake(true, "because");
        REQUIRE(Window::until([&] { return login.held() >= 0; }));
        CHECK(login.what == "sleep:shutdown");
        QTest::qWait(100);
        CHECK(isHeld());
        desktop.keepAwake(false);
        CHECK(Window::until([&] { return !isHeld(); }));
        ::close(login.held());
        desktop.showProgress(0.5); // nobody has to listen
        desktop.showProgress({});
    }
    QDBusConnection::disconnectFromBus("client");
    QDBusConnection::disconnectFromBus("server");
}

TEST_CASE("the end of work behind other windows is told, and a run keeps the machine awake", "[window][desktop]")
{
    Session s;
    auto server = QDBusConnection::connectToBus(s.address, "server");
    Desk desk;
    Login login;
    REQUIRE(server.registerObject("/org/freedesktop/Notifications", &desk, QDBusConnection::ExportAllSlots));
    REQUIRE(server.registerObject("/org/freedesktop/login1", &login, QDBusConnection::ExportAllSlots));
    REQUIRE(server.registerService("org.freedesktop.Notifications"));
    REQUIRE(server.registerService("org.freedesktop.login1"));
    const auto client = QDBusConnection::connectToBus(s.address, "client");
    {
        Window w;
        w.settle();     // at its start it looks for what was left undone, which keeps the machine awake as well
        QWidget behind; // another window of the program: it is not the active one
        new app::Away(behind, w.models(), new app::Desktop(nullptr, client, client), 0);
        w.t.file("place/old", 5000);
        w.scan(w.t / "place");
        REQUIRE(Window::until([&] { return desk.said.size() == 1; }));
        CHECK(desk.said[0].contains("place is scanned|It holds "));
        CHECK(login.held() < 0); // reading keeps nobody from sleeping
        w.models().plan.planTrash(w.node(w.t / "place/old"));
        w.settle();
        w.window->setStage(app::Stage::Clear);
        w.settle();
        w.click("carryOut");
        REQUIRE(Window::until([&] { return desk.said.size() >= 2; }));
        CHECK(desk.said.last().contains("The plan was carried out"));
        REQUIRE(Window::until([&] { return login.held() >= 0; }));
        w.settle();
        char byte;
        CHECK(Window::until([&] { return ::read(login.held(), &byte, 1) == 0; })); // it may sleep again
        ::close(login.held());
    }
    QDBusConnection::disconnectFromBus("client");
    QDBusConnection::disconnectFromBus("server");
}

TEST_CASE("the report for support has no path in it, and is saved as it was left", "[window][desktop]")
{
    TestFolder t;
    t.folder("home");
    app::beginLog(t / "state", app::LogLevel::Info);
    {
        Window w;
        w.t.file("secret place/one", 5000);
        w.scan(w.t / "secret place");
        w.models().plan.planTrash(w.node(w.t / "secret place/one"));
        for (auto* action : w.window->actions())
            if (action->text() == "Reduce motion")
                action->trigger();
        for (auto* action : w.window->actions())
            if (action->text() == "Report for support…")
                action->trigger();
        auto* dialog = w.dialog<QDialog>("supportDialog");
        auto* text = dialog->findChild<QPlainTextEdit*>("supportText");
        REQUIRE(Window::until([&] { return text->isEnabled(); }));
        CHECK(text->toPlainText().startsWith("Kurvo 0."));
        CHECK(text->toPlainText().contains("Settings:"));
        CHECK(text->toPlainText().contains(" = true"));
        CHECK_FALSE(text->toPlainText().contains("secret"));
        dialog->reject();
    }
    app::endLog();
    CHECK(app::lastOfLog(t / "state", 1 << 20).find("secret") == std::string::npos);
    CHECK(app::lastOfLog(t / "state", 40).size() <= 40);
    app::beginLog("/proc/none", app::LogLevel::Debug); // a home that cannot be written
    app::log(app::LogLevel::Error, "nobody keeps this");
    app::endLog();
}

#include "instance_test.moc"
