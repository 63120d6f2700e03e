// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/log.h"

#include <spdlog/async.h>
#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>

#include <sys/stat.h>

#include <filesystem>
#include <fstream>

#include "core/base/text.h"

namespace kurvo::app {
namespace {

std::shared_ptr<spdlog::async_logger>& logger()
{
    static std::shared_ptr<spdlog::async_logger> kept;
    return kept;
}

std::shared_ptr<spdlog::details::thread_pool>& writer()
{
    static std::shared_ptr<spdlog::details::thread_pool> kept;
    return kept;
}

spdlog::level::level_enum levelOf(LogLevel level)
{
    constexpr spdlog::level::level_enum levels[] = {spdlog::level::err, spdlog::level::warn, spdlog::level::info,
                                                    spdlog::level::debug};
    return levels[static_cast<std::size_t>(level)];
}

} // namespace

bool logLevelOf(const QString& word, LogLevel& level)
{
    const QString words[] = {"error", "warn", "info", "debug"};
    for (std::size_t i = 0; i < std::size(words); ++i)
        if (word == words[i]) {
            level = static_cast<LogLevel>(i);
            return true;
        }
    return false;
}

void beginLog(const std::string& folder, LogLevel least)
{
    constexpr std::size_t fileSize = 1 << 20, files = 3, waiting = 1024;
    endLog();
    try {
        std::error_code ignored;
        std::filesystem::create_directories(folder, ignored);
        ::chmod(folder.c_str(), 0700);
        writer() = std::make_shared<spdlog::details::thread_pool>(waiting, 1);
        auto sink =
            std::make_shared<spdlog::sinks::rotating_file_sink_mt>(joinPath(folder, "kurvo.log"), fileSize, files - 1);
        logger() = std::make_shared<spdlog::async_logger>("kurvo", std::move(sink), writer(),
                                                          spdlog::async_overflow_policy::overrun_oldest);
        logger()->set_level(levelOf(least));
        logger()->set_pattern("%Y-%m-%d %H:%M:%S.%e %l %v");
        logger()->flush_on(spdlog::level::info);
        logger()->set_error_handler([](const std::string&) {}); // a full drive: nothing is kept
    } catch (const spdlog::spdlog_ex&) {                        // a home that cannot be written
        endLog();
    }
}

void endLog()
{
    logger().reset();
    writer().reset(); // what waits is written first
}

void log(LogLevel level, const QString& line)
{
    if (const auto& to = logger(); to && to->should_log(levelOf(level)))
        to->log(levelOf(level), "{}", QString(line).replace(QLatin1Char('\n'), QLatin1Char(' ')).toStdString());
}

std::string lastOfLog(const std::string& folder, std::size_t most)
{
    std::string all;
    for (const auto* name : {"kurvo.log", "kurvo.1.log", "kurvo.2.log"}) {
        std::ifstream file(joinPath(folder, name), std::ios::binary);
        std::string text((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
        all.insert(0, text);
        if (all.size() >= most)
            break;
    }
    if (all.size() > most) {
        const auto line = all.find('\n', all.size() - most);
        all.erase(0, line == all.npos ? all.size() - most : line + 1);
    }
    return all;
}

} // namespace kurvo::app
