// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/settings.h"

#include <QFile>
#include <QVariant>

#include <algorithm>
#include <utility>

namespace kurvo::app {
namespace {

QString leftOutKey(const std::string& path)
{
    return QStringLiteral("leaveOut/") + QString::fromLatin1(QByteArray::fromStdString(path).toPercentEncoding());
}

} // namespace

Settings::Settings(const std::string& file, QObject* parent)
    : QObject(parent), settings_(QString::fromStdString(file), QSettings::IniFormat)
{
    constexpr int afterQt = 500; // ms
    soon_.setSingleShot(true);
    soon_.setInterval(afterQt);
    connect(&soon_, &QTimer::timeout, this, &Settings::lookIfWritten);
    if (settings_.status() != QSettings::FormatError)
        return;
    // The next change would write over what a person may still want to read.
    const auto copy = settings_.fileName() + QStringLiteral(".damaged");
    QFile::remove(copy);
    QFile::copy(settings_.fileName(), copy);
    damaged_ = true;
    QTimer::singleShot(0, this, &Settings::tell);
}

void Settings::refuse(const char* key)
{
    if (refused_.isEmpty() && !damaged_)
        QTimer::singleShot(0, this, &Settings::tell);
    refused_ << QLatin1String(key);
    settings_.remove(QLatin1String(key));
}

void Settings::tell()
{
    const auto names = std::exchange(refused_, {});
    if (std::exchange(damaged_, false))
        emit fellBack(tr("The settings in %1 are damaged and were read as far as possible; the rest is at its "
                         "defaults. The file as it was is kept beside it, as settings.ini.damaged.")
                          .arg(settings_.fileName()));
    else
        emit fellBack(tr("%n setting(s) could not be understood and fell back to the default: %1.", nullptr,
                         static_cast<int>(names.size()))
                          .arg(names.join(QStringLiteral(", "))));
}

int Settings::of(const NumberSetting& setting)
{
    const auto kept = settings_.value(QLatin1String(setting.key));
    if (!kept.isValid())
        return setting.standard;
    bool ok = kept.typeId() != QMetaType::QStringList;
    const int number = ok ? kept.toString().toInt(&ok) : 0;
    if (ok && number >= setting.least && number <= setting.most)
        return number;
    refuse(setting.key);
    return setting.standard;
}

bool Settings::of(const SwitchSetting& setting)
{
    const auto kept = settings_.value(QLatin1String(setting.key));
    if (!kept.isValid())
        return setting.standard;
    const auto word = kept.toString().toLower();
    for (const auto* yes : {"true", "1"})
        if (word == QLatin1String(yes))
            return true;
    for (const auto* no : {"false", "0"})
        if (word == QLatin1String(no))
            return false;
    refuse(setting.key);
    return setting.standard;
}

template <typename Value>
Value Settings::ofKind(const char* key, std::initializer_list<QMetaType::Type> kinds)
{
    const auto kept = settings_.value(QLatin1String(key));
    if (!kept.isValid() || std::find(kinds.begin(), kinds.end(), kept.typeId()) != kinds.end())
        return kept.value<Value>();
    refuse(key);
    return {};
}

QString Settings::of(const TextSetting& setting)
{
    return ofKind<QString>(setting.key, {QMetaType::QString});
}

QStringList Settings::of(const LinesSetting& setting)
{
    return ofKind<QStringList>(setting.key, {QMetaType::QString, QMetaType::QStringList});
}

QByteArray Settings::of(const BytesSetting& setting)
{
    return ofKind<QByteArray>(setting.key, {QMetaType::QByteArray});
}

void Settings::keep(const QString& key, const QVariant& value)
{
    if (settings_.value(key) == value)
        return;
    settings_.setValue(key, value);
    soon_.start();
}

/// The file is written by Qt a moment after a change; here it is seen whether that went well.
void Settings::lookIfWritten()
{
    if (settings_.status() != QSettings::AccessError || std::exchange(notWritten_, true))
        return;
    emit fellBack(
        tr("Settings cannot be saved in %1: is its drive full, or the folder read-only? What you change is kept "
           "until you quit.")
            .arg(settings_.fileName()));
}

QString Settings::leftOut(const std::string& path)
{
    return settings_.value(leftOutKey(path)).toString();
}

void Settings::setLeftOut(const std::string& path, const QString& patterns)
{
    if (patterns.isEmpty())
        settings_.remove(leftOutKey(path));
    else
        keep(leftOutKey(path), patterns);
}

} // namespace kurvo::app
