// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/theme.h"

#include <QApplication>
#include <QDBusConnection>
#include <QDBusInterface>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>
#include <QDBusVariant>
#include <QHash>
#include <QImage>
#include <QPalette>
#include <QStaticText>
#include <QStyleFactory>
#include <QTextLayout>

#include <algorithm>
#include <array>
#include <cmath>
#include <unordered_map>
#include <utility>

#include "app/style/tick_style.h"
#include "app/style/typeface.h"

namespace kurvo::app {
namespace {

Theme lightTheme()
{
    Theme t;
    t.window = "#F5F3EE";
    t.panel = "#FFFFFF";
    t.line = "#DAD5CA";
    t.text = "#22272B";
    t.textSecond = "#5E666D";
    t.accent = "#0B6E6E";
    t.warning = "#A35606";
    t.danger = "#A8322A";
    t.accentFill = "#E1EDEC";
    t.onAccent = "#FFFFFF";
    t.seen = "#7F929C";
    t.emptyBar = "#EFECE4";
    return t;
}

Theme darkTheme()
{
    Theme t;
    t.window = "#1B1F23";
    t.panel = "#23282E";
    t.line = "#353C44";
    t.text = "#E6E3DC";
    t.textSecond = "#9BA5AE";
    t.accent = "#4FB8B0";
    t.warning = "#E6A04B";
    t.danger = "#E5786F";
    t.accentFill = "#23393A";
    t.onAccent = "#12201F";
    t.seen = "#6B7F8A";
    t.emptyBar = "#2B3138";
    t.dark = true;
    return t;
}

/// For whoever needs it: text in black or white only, edges that can be seen, colours further from what they stand on.
Theme withMoreContrast(Theme t)
{
    t.text = t.textSecond = t.dark ? "#FFFFFF" : "#000000";
    t.window = t.panel = t.dark ? "#000000" : "#FFFFFF";
    t.line = t.dark ? "#B8C0C8" : "#5A5F63";
    t.accent = t.dark ? "#7CEBE1" : "#004F4F";
    t.warning = t.dark ? "#FFC46B" : "#6E3700";
    t.danger = t.dark ? "#FFA39B" : "#7A120B";
    t.accentFill = t.dark ? "#12484A" : "#C2E6E3";
    t.onAccent = t.dark ? "#000000" : "#FFFFFF";
    t.seen = t.dark ? "#A9BAC4" : "#4A5C66";
    t.emptyBar = t.dark ? "#1B1F23" : "#F4F2EC";
    return t;
}

Theme current = lightTheme();

constexpr const char* portalService = "org.freedesktop.portal.Desktop";
constexpr const char* portalPath = "/org/freedesktop/portal/desktop";
constexpr const char* portalInterface = "org.freedesktop.portal.Settings";

/// Colours stand in it by their names.
QString styleText()
{
    return QStringLiteral(R"(
        QWidget { color: %text; }
        QToolTip { background: %panel; color: %text; border: 1px solid %line; padding: 4px; }
        QPushButton { background: %panel; border: 1px solid %line; border-radius: 6px; padding: 7px 12px; }
        QPushButton:hover { border-color: %accent; }
        QPushButton:focus { border: 2px solid %accent; padding: 6px 11px; }
        QPushButton:disabled { color: %second; background: %window; }
        QPushButton[role="primary"] { background: %accent; color: %onAccent; border-color: %accent; font-weight: 600; }
        QPushButton[role="primary"]:focus { border: 2px solid %text; }
        QPushButton[role="primary"]:disabled { background: %line; color: %second; border-color: %line; }
        QPushButton[role="danger"] { color: %danger; border-color: %danger; }
        QPushButton[role="link"] { background: transparent; border: none; color: %accent; padding: 2px 4px; text-align: left; }
        QPushButton[role="link"]:hover { text-decoration: underline; }
        QPushButton[role="link"]:focus { border: 1px solid %accent; border-radius: 3px; padding: 1px 3px; }
        QPushButton[role="link"]:disabled { color: %second; }
        QPushButton[role="place"] { background: transparent; border: none; font-size: 15px; font-weight: 600; text-align: left; padding: 2px 4px; }
        QPushButton[role="place"]:focus { border: 1px solid %accent; padding: 1px 3px; }
        QPushButton::menu-indicator { image: none; width: 0; }
        QLineEdit { background: %panel; color: %text; border: 1px solid %line; border-radius: 5px; padding: 5px 8px; selection-background-color: %accent; selection-color: %onAccent; }
        QTableView { background: %panel; color: %text; border: 1px solid %line; border-radius: 5px; selection-background-color: %fill; selection-color: %text; }
        QTableView::item { padding: 0 4px; border: none; }
        QTableView::item:selected { background: %fill; }
        QTableView::item:focus { border: 1px solid %accent; }
        QLineEdit:focus { border: 1px solid %accent; }
        QLineEdit:disabled { color: %second; background: %window; }
        QTreeWidget { background: %panel; color: %text; border: 1px solid %line; border-radius: 5px; outline: none; }
        QTreeWidget::item { padding: 4px 4px; border: 0px; }
        QTreeWidget::item:selected { background: %fill; color: %text; }
        QHeaderView::section { background: %window; color: %second; border: none; border-bottom: 1px solid %line; padding: 5px 8px; font-size: 11px; }
        QLabel[role="second"] { color: %second; }
        QLabel[role="title"] { font-size: 20px; font-weight: 600; }
        QLabel[role="big"] { font-size: 28px; font-weight: 600; }
        QLabel[role="heading"] { font-size: 15px; font-weight: 600; }
        QLabel[role="small"] { color: %second; font-size: 11px; }
        QLabel[role="warning"] { color: %warning; }
        QLabel[role="danger"] { color: %danger; }
        QLabel[role="done"] { color: %accent; }
        QFrame[role="panel"], QWidget[role="panel"] { background: %panel; }
        QFrame[role="card"] { background: %panel; border: 1px solid %line; border-radius: 8px; }
        QFrame[role="callout"] { background: %window; border: none; border-left: 3px solid %warning; }
        QFrame[role="notice"] { background: %panel; border: 1px solid %line; border-left: 3px solid %accent; border-radius: 4px; }
        QFrame[role="notice"][severity="warning"] { border-left: 3px solid %warning; }
        QFrame[role="notice"][severity="danger"] { border-left: 3px solid %danger; }
        QListView { background: %panel; border: none; outline: none; }
        QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: none; }
        QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
        QScrollBar::handle:vertical { background: %line; border-radius: 4px; min-height: 24px; margin: 1px; }
        QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
        QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
        QProgressBar { background: %empty; border: 1px solid %line; border-radius: 3px; height: 6px; text-align: center; }
        QProgressBar::chunk { background: %accent; border-radius: 2px; }
        QMenu { background: %panel; border: 1px solid %line; padding: 4px 0; }
        QMenu::item { padding: 6px 24px 6px 16px; }
        QMenu::item:selected { background: %fill; color: %text; }
        QMenu::item:disabled { color: %second; }
        QMenu::separator { height: 1px; background: %line; margin: 4px 0; }
        QDialog, QMessageBox { background: %window; }
        QRadioButton, QCheckBox { spacing: 8px; }
        QRadioButton::indicator { width: 12px; height: 12px; border: 1px solid %second; border-radius: 7px; background: %panel; }
        QRadioButton::indicator:checked { border: 4px solid %accent; width: 6px; height: 6px; }
        QRadioButton:focus { text-decoration: underline; }
        QPushButton[role="choice"]:checked { border: 1px solid %accent; background: %fill; font-weight: 600; }
        QPushButton[role="danger"]:disabled { color: %second; border: 1px solid %line; }
        QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
        QScrollBar::handle:horizontal { background: %line; border-radius: 4px; min-width: 24px; margin: 1px; }
        QHeaderView::up-arrow, QHeaderView::down-arrow { subcontrol-position: top center; subcontrol-origin: padding; width: 9px; height: 9px; }
        QHeaderView { background: %window; }
        QTableWidget { background: %panel; border: none; outline: none; }
        QTableWidget::item:selected { background: %fill; color: %text; }
        QSplitter::handle { background: transparent; }
        QSplitter::handle:hover { background: %line; }
    )");
}

QString styleSheet(const Theme& t)
{
    return styleText()
        .replace("%text", t.text.name())
        .replace("%second", t.textSecond.name())
        .replace("%panel", t.panel.name())
        .replace("%line", t.line.name())
        .replace("%accent", t.accent.name())
        .replace("%onAccent", t.onAccent.name())
        .replace("%window", t.window.name())
        .replace("%danger", t.danger.name())
        .replace("%warning", t.warning.name())
        .replace("%empty", t.emptyBar.name())
        .replace("%fill", t.accentFill.name());
}

double luminance(const QColor& c)
{
    const auto linear = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

} // namespace

Theme themeColours(bool dark, bool moreContrast)
{
    const auto t = dark ? darkTheme() : lightTheme();
    return moreContrast ? withMoreContrast(t) : t;
}

double contrastOf(const QColor& a, const QColor& b)
{
    const double one = luminance(a), other = luminance(b);
    return (std::max(one, other) + 0.05) / (std::min(one, other) + 0.05);
}

const Theme& theme()
{
    return current;
}

LightPaper::LightPaper() : before_(current)
{
    current = lightTheme();
}

LightPaper::~LightPaper()
{
    current = before_;
}

ThemeControl::ThemeControl(QObject* parent) : QObject(parent)
{
    systemDark_ = QApplication::palette().color(QPalette::Window).lightness() < 128;
    QApplication::setStyle(new TickStyle(QStyleFactory::create("Fusion")));
    apply();
    askPortal();
}

ThemeControl::~ThemeControl()
{
    if (laid_)
        qApp->setStyleSheet(QString());
}

void ThemeControl::laySheet()
{
    laid_ = true;
    qApp->setStyleSheet(styleSheet(current));
}

void ThemeControl::askPortal()
{
    auto bus = QDBusConnection::sessionBus();
    if (!bus.isConnected())
        return;
    bus.connect(portalService, portalPath, portalInterface, "SettingChanged", this,
                SLOT(portalSettingChanged(QString, QString, QDBusVariant)));
    for (const auto* key : {"color-scheme", "contrast"})
        askPortal(QString::fromLatin1(key));
}

void ThemeControl::askPortal(const QString& key)
{
    auto message = QDBusMessage::createMethodCall(portalService, portalPath, portalInterface, "Read");
    message << QStringLiteral("org.freedesktop.appearance") << key;
    auto* watcher = new QDBusPendingCallWatcher(QDBusConnection::sessionBus().asyncCall(message, 2000), this);
    connect(watcher, &QDBusPendingCallWatcher::finished, this, [this, watcher, key] {
        const QDBusPendingReply<QDBusVariant> reply = *watcher;
        if (reply.isValid()) {
            // Read wraps the value in a second variant.
            const auto inner = reply.value().variant().value<QDBusVariant>();
            portalSettingChanged("org.freedesktop.appearance", key, inner);
        }
        watcher->deleteLater();
    });
}

void ThemeControl::portalSettingChanged(const QString& group, const QString& key, const QDBusVariant& value)
{
    if (group != "org.freedesktop.appearance" || (key != "color-scheme" && key != "contrast"))
        return;
    // 0 no preference, 1 dark or more contrast, 2 light
    bool& known = key == "contrast" ? systemContrast_ : systemDark_;
    if (std::exchange(known, value.variant().toUInt() == 1) != known)
        apply();
}

void ThemeControl::choose(ThemeChoice choice)
{
    choice_ = choice;
    apply();
}

void ThemeControl::setMoreContrast(bool more)
{
    moreContrast_ = more;
    apply();
}

void ThemeControl::apply()
{
    const bool dark = choice_ == ThemeChoice::Dark || (choice_ == ThemeChoice::System && systemDark_);
    const std::pair wanted(dark, moreContrast_ || systemContrast_);
    if (std::exchange(applied_, wanted) == wanted)
        return; // a style sheet is laid over every widget anew
    current = themeColours(wanted.first, wanted.second);
    QPalette p;
    p.setColor(QPalette::Window, current.window);
    p.setColor(QPalette::Base, current.panel);
    p.setColor(QPalette::AlternateBase, current.window);
    p.setColor(QPalette::Button, current.panel);
    p.setColor(QPalette::Text, current.text);
    p.setColor(QPalette::WindowText, current.text);
    p.setColor(QPalette::ButtonText, current.text);
    p.setColor(QPalette::PlaceholderText, current.textSecond);
    p.setColor(QPalette::Highlight, current.accent);
    p.setColor(QPalette::HighlightedText, current.onAccent);
    p.setColor(QPalette::Mid, current.line);
    p.setColor(QPalette::Light, current.line);
    p.setColor(QPalette::Dark, current.line);
    for (const auto role : {QPalette::Text, QPalette::WindowText, QPalette::ButtonText})
        p.setColor(QPalette::Disabled, role, current.textSecond);
    QApplication::setPalette(p);
    QApplication::setFont(fontOf(13));
    // To the window itself, which is there already: told by the event loop, it came after the sheet, which kept it out.
    for (auto* window : QApplication::topLevelWidgets())
        for (const auto changed : {QEvent::ApplicationPaletteChange, QEvent::ApplicationFontChange}) {
            QEvent event(changed);
            QCoreApplication::sendEvent(window, &event);
        }
    if (laid_)
        laySheet();
    emit changed();
}

QFont fontOf(int pixels, QFont::Weight weight)
{
    // Kept with what it takes to draw with them: a font that is made anew is looked for anew, each time it is used.
    static QHash<std::pair<int, int>, QFont> kept;
    auto& font = kept[{pixels, static_cast<int>(weight)}];
    if (font.pixelSize() != pixels || font.weight() != weight) {
        font.setFamilies(typeface());
        font.setPixelSize(pixels);
        font.setWeight(weight);
        (void)QFontMetrics(font).horizontalAdvance(QLatin1Char('0'));
    }
    return font;
}

QColor familyColour(Family family)
{
    static const std::array<QColor, familyCount> colours{
        QColor("#332288"), QColor("#44AA99"), QColor("#88CCEE"), QColor("#DDCC77"), QColor("#999933"),
        QColor("#882255"), QColor("#CC6677"), QColor("#117733"), QColor("#AA4499"), QColor("#DDDDDD")};
    return colours[static_cast<std::size_t>(family)];
}

QColor readableOn(const QColor& background)
{
    const double l = luminance(background);
    const double onWhite = 1.05 / (l + 0.05), onDark = (l + 0.05) / (luminance(QColor("#16191C")) + 0.05);
    return onWhite > onDark ? QColor("#FFFFFF") : QColor("#16191C");
}

QColor paler(const QColor& colour)
{
    const auto mix = [](int v) { return v + (255 - v) * 28 / 100; };
    return QColor(mix(colour.red()), mix(colour.green()), mix(colour.blue()));
}

QColor faint(const QColor& colour)
{
    const auto mix = [](int of, int into) { return into + (of - into) * 26 / 100; };
    const auto& into = current.panel;
    return QColor(mix(colour.red(), into.red()), mix(colour.green(), into.green()), mix(colour.blue(), into.blue()));
}

bool needsEdge(const QColor& colour)
{
    return current.dark && (luminance(colour) + 0.05) / (luminance(current.window) + 0.05) < 3.0;
}

QColor hatchColour(const QColor& colour)
{
    return luminance(colour) > 0.25 ? colour.darker(122) : colour.lighter(150);
}

QBrush hatchOn(const QColor& colour)
{
    // An 8 x 8 pattern with a 2-pixel diagonal; drawn once for each colour.
    static QHash<QRgb, QImage> patterns;
    auto& pattern = patterns[colour.rgb()];
    if (pattern.isNull()) {
        const QColor line = hatchColour(colour);
        pattern = QImage(8, 8, QImage::Format_RGB32);
        for (int y = 0; y < 8; ++y)
            for (int x = 0; x < 8; ++x)
                pattern.setPixelColor(x, y, (x + y) % 8 < 2 ? line : colour);
    }
    return QBrush(pattern);
}

QBrush plannedHatch()
{
    QImage pattern(8, 8, QImage::Format_RGB32);
    for (int y = 0; y < 8; ++y)
        for (int x = 0; x < 8; ++x)
            pattern.setPixelColor(x, y, (x + y) % 8 < 4 ? current.accent : current.accentFill);
    return QBrush(pattern);
}

QBrush notSeenDots()
{
    QImage pattern(5, 5, QImage::Format_RGB32);
    pattern.fill(current.emptyBar);
    for (const auto& [x, y] : {std::pair{1, 1}, {2, 1}, {1, 2}, {2, 2}})
        pattern.setPixelColor(x, y, current.textSecond);
    return QBrush(pattern);
}

namespace {

struct TextKey {
    QString text;
    int pixels, weight, elide, room;
    bool operator==(const TextKey&) const = default;
};
struct TextHash {
    std::size_t operator()(const TextKey& key) const
    {
        return qHashMulti(0, key.text, key.pixels, key.weight, key.elide, key.room);
    }
};

/// Texts as they were drawn last, laid out: rows are painted again and again, and laying out is most of the work.
const QStaticText& laidOut(const QString& text, const QFont& font, Qt::TextElideMode elide, int room)
{
    static std::unordered_map<TextKey, QStaticText, TextHash> kept;
    constexpr std::size_t most = 4000;
    if (kept.size() >= most)
        kept.clear();
    auto& found = kept[{text, font.pixelSize(), static_cast<int>(font.weight()), static_cast<int>(elide), room}];
    if (found.text().isEmpty() && !text.isEmpty()) {
        found.setTextFormat(Qt::PlainText);
        found.setText(elide == Qt::ElideNone ? text : QFontMetrics(font).elidedText(text, elide, room));
        found.prepare({}, font);
    }
    return found;
}

/// The lines that a text takes in that width, at most so many; the last has the rest.
const QStringList& linesOf(const QString& text, const QFont& font, int width, int most)
{
    static std::unordered_map<TextKey, QStringList, TextHash> kept;
    if (kept.size() >= 2000)
        kept.clear();
    auto& lines = kept[{text, font.pixelSize(), static_cast<int>(font.weight()), most, width}];
    if (!lines.isEmpty() || text.isEmpty())
        return lines;
    QTextLayout layout(text, font);
    layout.beginLayout();
    for (auto line = layout.createLine(); line.isValid(); line = layout.createLine()) {
        line.setLineWidth(width);
        const bool last = lines.size() + 1 == most;
        lines << (last ? text.mid(line.textStart()) : text.mid(line.textStart(), line.textLength())).trimmed();
        if (last)
            break;
    }
    layout.endLayout();
    return lines;
}

} // namespace

void drawWrapped(QPainter& painter, const QRect& rect, const QString& text)
{
    const auto font = painter.font();
    const int height = QFontMetrics(font).lineSpacing();
    const auto lines = linesOf(text, font, rect.width(), std::max(1, rect.height() / height));
    int top = rect.y() + (rect.height() - height * static_cast<int>(lines.size())) / 2;
    for (const auto& line : lines) {
        drawCut(painter, QRect(rect.x(), top, rect.width(), height), line, Qt::ElideRight);
        top += height;
    }
}

void drawCut(QPainter& painter, const QRect& rect, const QString& text, Qt::TextElideMode elide)
{
    if (text.isEmpty() || rect.width() <= 0)
        return;
    const auto& line = laidOut(text, painter.font(), elide, rect.width());
    painter.drawStaticText(QPointF(rect.x(), rect.y() + (rect.height() - line.size().height()) / 2), line);
}

int drawFigures(QPainter& painter, const QRect& rect, const QString& text)
{
    const auto font = painter.font();
    const auto drawn = [&](const QString& part) -> const QStaticText& { return laidOut(part, font, Qt::ElideNone, 0); };
    double cell = 0;
    for (char digit = '0'; digit <= '9'; ++digit)
        cell = std::max(cell, std::ceil(drawn(QLatin1String(&digit, 1)).size().width()));
    double right = rect.right() + 1;
    const auto draw = [&](const QString& part, double width) {
        const auto& shown = drawn(part);
        const auto size = shown.size();
        right -= width > 0 ? width : size.width();
        const double left = width > 0 ? right + (width - size.width()) / 2 : right;
        painter.drawStaticText(QPointF(std::round(left), rect.y() + (rect.height() - size.height()) / 2), shown);
    };
    // The unit is ordinary text; before it each digit gets a cell of the same width.
    const auto space = text.indexOf(QLatin1Char(' '));
    const auto number = space < 0 ? text : text.left(space);
    if (space >= 0)
        draw(text.mid(space), 0);
    for (auto i = number.size(); i-- > 0;)
        draw(number.mid(i, 1), number[i].isDigit() ? cell : 0);
    return static_cast<int>(std::ceil(rect.right() + 1 - right));
}

QString cutMiddle(const QString& text, const QFont& font, int width)
{
    return QFontMetrics(font).elidedText(text, Qt::ElideMiddle, width);
}

} // namespace kurvo::app
