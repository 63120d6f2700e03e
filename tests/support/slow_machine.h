// SPDX-License-Identifier: GPL-3.0-or-later
// Another machine that has found everything but is not done: what a scan there sends stops before its end until it is
// let go. Put in place of ssh.
#pragma once

#include <sys/stat.h>
#include <unistd.h>

#include <string>
#include <thread>

#include "core/rights/reading_helper.h"
#include "core/rights/reading_protocol.h"
#include "core/snapshot/header.h"
#include "support/test_tree.h"

namespace kurvo::test {

class SlowMachine {
public:
    explicit SlowMachine(const std::string& place)
    {
        HelperRequest request;
        request.withFacts = true;
        request.paths = {place};
        int in[2], out[2];
        if (::pipe(in) != 0 || ::pipe(out) != 0)
            std::abort();
        std::thread server([&] {
            (void)static_cast<bool>(serveRequest(in[0], out[1]));
            ::close(out[1]);
        });
        const auto bytes = encodeRequest(request);
        (void)!::write(in[1], bytes.data(), bytes.size());
        std::string answer;
        char buffer[65536];
        for (ssize_t n = 0; (n = ::read(out[0], buffer, sizeof buffer)) > 0;)
            answer.append(buffer, static_cast<std::size_t>(n));
        server.join();
        for (const int fd : {in[0], in[1], out[0]})
            ::close(fd);
        std::size_t at = 8; // past "KURVOANS": up to the last rows
        for (auto next = at; next + 8 <= answer.size(); next += 8 + getU32(answer, next + 4))
            if (getU32(answer, next) == 2)
                at = next + 8 + getU32(answer, next + 4);
        auto first = answer.substr(0, at);
        putU32(first, 1); // progress
        putU32(first, 16);
        putU64(first, 5);
        putU64(first, 4096);
        t.text("first", first);
        t.text("rest", answer.substr(at));
        t.text("ssh", "#!/bin/sh\necho KURVOHAS\ncat '" + (t / "first") + "'\nwhile [ ! -e '" + (t / "go") +
                          "' ]; do sleep 0.02; done\nif [ -s '" + (t / "go") + "' ]; then exit 255; fi\ncat '" +
                          (t / "rest") + "'\n");
        ::chmod((t / "ssh").c_str(), 0755);
    }
    std::string ssh() const { return t / "ssh"; }
    void letGo() { t.text("go", ""); }
    /// The connection is lost.
    void cut() { t.text("go", "cut"); }

private:
    TestFolder t;
};

} // namespace kurvo::test
