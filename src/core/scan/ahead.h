// SPDX-License-Identifier: GPL-3.0-or-later
// A drive's tables and folders brought into memory, ascending, on threads of their own while others read them
// (docs/direct.md). A disk that does not answer any more is left behind.
#pragma once

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <stop_token>

#include "core/direct/ext4_drive.h"
#include "core/direct/table_pass.h"
#include "core/scan/scanner.h"

namespace kurvo {

/// Everything here is for any thread.
class Ahead : public std::enable_shared_from_this<Ahead> {
public:
    /// Null where there is nothing to be done: no drive, all in memory already, no thread to be had. `scan` holds it
    /// while it is paused, is told how far it is, and has to live until end().
    static std::shared_ptr<Ahead> begin(std::shared_ptr<const Ext4Drive> drive, const ScanOptions& options,
                                        ScanProgress& scan);
    enum class Part { Tables, All };
    /// Returns when that is in memory, reading makes no headway, `most` has passed, or it is stopped.
    void waitFor(Part part, std::optional<std::chrono::milliseconds> most, const std::stop_token& stop);
    /// Where a folder lies on the device that is not in memory yet but will be; 0 where there is nothing to wait for.
    std::uint64_t comesFrom(const Ext4Inode& folder);
    /// Ends it, and waits for that no longer than a moment.
    void end();

    struct Ending {
        explicit Ending(std::shared_ptr<Ahead> what) : ahead(std::move(what)) { }
        ~Ending()
        {
            if (ahead)
                ahead->end();
        }
        Ending(const Ending&) = delete;
        Ending& operator=(const Ending&) = delete;
        const std::shared_ptr<Ahead> ahead;
    };

private:
    Ahead(std::shared_ptr<const Ext4Drive> drive, std::chrono::milliseconds patience, ScanProgress& scan);
    bool goesOn();
    bool tellAndAsk();
    bool endsWithin(std::chrono::milliseconds time);

    const std::shared_ptr<const Ext4Drive> drive_;
    const std::chrono::milliseconds patience_;
    TablePassProgress progress_;
    std::stop_source stop_;
    std::atomic<bool> over_{false};
    std::atomic<std::uint64_t> done_{0};                   ///< of the progress, when it was looked at
    std::atomic<std::chrono::steady_clock::rep> moved_{0}; ///< when that changed
    std::mutex mutex_;
    std::condition_variable ended_;
    ScanProgress* scan_; ///< with mutex_; null once it has ended
};

} // namespace kurvo
