// SPDX-License-Identifier: GPL-3.0-or-later
// What a check or an attempt said of planned items, counted as it comes and goes. Plain data.
#pragma once

#include <string>
#include <string_view>
#include <unordered_map>
#include <utility>

namespace kurvo::app {

/// Of one planned item.
struct Finding {
    bool ready = false;
    std::string sentence;
    bool needsRights = false; ///< it is not ready, and administrator rights would help
};

/// By path. Only of what is planned: who takes something off the plan takes its finding as well.
class Findings {
public:
    const Finding* of(const std::string& path) const
    {
        const auto found = byPath_.find(path);
        return found == byPath_.end() ? nullptr : &found->second;
    }
    void set(const std::string& path, Finding finding)
    {
        erase(path);
        count(finding, 1);
        byPath_[path] = std::move(finding);
    }
    void erase(const std::string& path)
    {
        const auto found = byPath_.find(path);
        if (found == byPath_.end())
            return;
        count(found->second, -1);
        byPath_.erase(found);
    }
    /// Those of others instead of, and beside, its own.
    void take(Findings& others)
    {
        for (auto& [path, finding] : others.byPath_)
            set(path, std::move(finding));
        others = {};
    }
    std::size_t size() const { return byPath_.size(); }
    bool empty() const { return byPath_.empty(); }
    std::size_t ready() const { return size() - held_; }
    /// Those that are held back,
    std::size_t held() const { return held_; }
    /// and of these the ones that administrator rights would help.
    std::size_t needRights() const { return needRights_; }

private:
    void count(const Finding& finding, int by)
    {
        held_ += static_cast<std::size_t>(finding.ready ? 0 : by);
        needRights_ += static_cast<std::size_t>(!finding.ready && finding.needsRights ? by : 0);
    }
    std::unordered_map<std::string, Finding> byPath_;
    std::size_t held_ = 0, needRights_ = 0;
};

} // namespace kurvo::app
