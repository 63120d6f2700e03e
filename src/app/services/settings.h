// SPDX-License-Identifier: GPL-3.0-or-later
// What Kurvo remembers from start to start: one INI file, and here the one list of what is in it, with types, defaults
// and bounds. What somebody wrote there that cannot be meant falls back to its default and is told.
#pragma once

#include <QObject>
#include <QSettings>
#include <QStringList>
#include <QTimer>

#include <initializer_list>
#include <string>

namespace kurvo::app {

struct NumberSetting {
    const char* key;
    int standard, least, most;
};
struct SwitchSetting {
    const char* key;
    bool standard = false;
};
struct TextSetting {
    const char* key;
};
struct LinesSetting {
    const char* key;
};
struct BytesSetting {
    const char* key;
};

namespace setting {

inline constexpr BytesSetting geometry{"window/geometry"};
inline constexpr NumberSetting theme{"window/theme", 0, 0, 2}; ///< ThemeChoice
inline constexpr SwitchSetting openLast{"window/openLast"};
inline constexpr TextSetting lastPlace{"window/lastPlace"}; ///< its snapshot, percent-encoded
inline constexpr BytesSetting exploreSides{"explore/sides"}, findSides{"find/sides"}, compareSides{"compare/sides"};
inline constexpr SwitchSetting tourSeen{"window/tourSeen"};
inline constexpr SwitchSetting moreContrast{"window/moreContrast"};
inline constexpr SwitchSetting decimalSizes{"window/decimal"};
inline constexpr SwitchSetting stillPictures{"window/stillPictures"};
inline constexpr TextSetting view{"explore/view"};          ///< of places that come new (ViewMemory)
inline constexpr LinesSetting placeViews{"explore/places"}; ///< of places that were looked at
inline constexpr NumberSetting weightThreshold{"explore/threshold", 80, 50, 99};
inline constexpr NumberSetting descentSort{"explore/descentSort", 0, 0, 3}; ///< DescentSort
inline constexpr NumberSetting descentFacts{"explore/descentFacts", 0, 0, 15};
inline constexpr LinesSetting keptFilters{"find/kept"};
inline constexpr LinesSetting filterHistory{"find/history"};
inline constexpr BytesSetting findColumns{"find/columns"};
inline constexpr SwitchSetting compareSunburst{"compare/sunburst"};
inline constexpr SwitchSetting compareBySize{"compare/bySize"};
inline constexpr TextSetting moveTo{"plan/moveTo"};
inline constexpr SwitchSetting leaveLink{"plan/leaveLink"};
inline constexpr TextSetting savedIn{"window/savedIn"};
inline constexpr SwitchSetting keepingTold{"snapshots/keepingTold"};
inline constexpr SwitchSetting crossMounts{"scan/crossMounts"};
inline constexpr SwitchSetting withRights{"scan/withRights"};
inline constexpr LinesSetting recentPlaces{"scan/recent"};     ///< percent-encoded paths, newest first
inline constexpr LinesSetting helperCommand{"helper/command"}; ///< another way to ask for rights; by hand only
inline constexpr LinesSetting cardWords{"cards/known"};        ///< CardWords', a line a pair of snapshots

} // namespace setting

/// Interface thread only.
class Settings : public QObject {
    Q_OBJECT
public:
    explicit Settings(const std::string& file, QObject* parent = nullptr);

    int of(const NumberSetting& setting);
    bool of(const SwitchSetting& setting);
    QString of(const TextSetting& setting);
    QStringList of(const LinesSetting& setting);
    QByteArray of(const BytesSetting& setting);
    void set(const NumberSetting& setting, int value) { keep(QLatin1String(setting.key), value); }
    void set(const SwitchSetting& setting, bool value) { keep(QLatin1String(setting.key), value); }
    void set(const TextSetting& setting, const QString& value) { keep(QLatin1String(setting.key), value); }
    void set(const LinesSetting& setting, const QStringList& value) { keep(QLatin1String(setting.key), value); }
    void set(const BytesSetting& setting, const QByteArray& value) { keep(QLatin1String(setting.key), value); }
    /// Patterns that the scan of a place leaves out, as they were typed; `path`: bytes. Empty text forgets them.
    QString leftOut(const std::string& path);
    void setLeftOut(const std::string& path, const QString& patterns);

    /// Its value cannot be meant: it is taken out of the file and told.
    void refuse(const char* key);

signals:
    /// Some settings are at their defaults by that, once for all that are found in one go; or they cannot be saved.
    void fellBack(const QString& sentence);

private:
    template <typename Value>
    Value ofKind(const char* key, std::initializer_list<QMetaType::Type> kinds);
    void keep(const QString& key, const QVariant& value);
    void lookIfWritten();
    void tell();

    QSettings settings_;
    QTimer soon_;
    QStringList refused_;
    bool damaged_ = false, notWritten_ = false;
};

} // namespace kurvo::app
