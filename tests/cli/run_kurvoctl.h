// SPDX-License-Identifier: GPL-3.0-or-later
// Runs the real kurvoctl.
#pragma once

#include <sys/wait.h>

#include <cstdlib>
#include <sstream>
#include <string>
#include <vector>

#include <nlohmann/json.hpp>

#include "support/test_tree.h"

namespace kurvo::test {

struct Outcome {
    int status = -1;
    std::string out, err;
    std::vector<nlohmann::json> lines() const
    {
        std::vector<nlohmann::json> all;
        std::istringstream in(out);
        for (std::string line; std::getline(in, line);)
            all.push_back(nlohmann::json::parse(line));
        return all;
    }
};

/// For the shell.
inline std::string quoted(const std::string& path)
{
    return "'" + path + "'";
}

/// Settings and data of their own, as long as this lives.
struct OwnSettings {
    TestFolder t;
    OwnSettings()
    {
        ::setenv("XDG_CONFIG_HOME", (t / "config").c_str(), 1);
        ::setenv("XDG_DATA_HOME", (t / "data").c_str(), 1);
    }
    ~OwnSettings()
    {
        ::unsetenv("XDG_CONFIG_HOME");
        ::unsetenv("XDG_DATA_HOME");
    }
    OwnSettings(const OwnSettings&) = delete;
    OwnSettings& operator=(const OwnSettings&) = delete;
};

/// Runs it with a shell; arguments are quoted by the caller.
inline Outcome kurvoctl(const std::string& arguments)
{
    TestFolder t;
    const auto command = "timeout 300 " + std::string(KURVOCTL) + " " + arguments + " >'" + (t / "out") + "' 2>'" +
                         (t / "err") + "' </dev/null";
    const int status = std::system(command.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, readAll(t / "out"), readAll(t / "err")};
}

} // namespace kurvo::test
