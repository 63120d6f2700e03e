// SPDX-License-Identifier: GPL-3.0-or-later
// A connection to PostgreSQL by libpq, which is loaded when it is first needed: kurvoctl runs without it.
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace kurvo {

/// One thread.
class Postgres {
public:
    /// `where`: a URI or key words, as libpq takes them (PostgreSQL documentation, 34.1.1). Unsupported where there is
    /// no libpq; System, with what the server said, where it cannot be reached.
    static Result<Postgres> connect(const std::string& where);
    Postgres(Postgres&&) noexcept;
    Postgres& operator=(Postgres&&) noexcept;
    ~Postgres();

    using Rows = std::vector<std::vector<std::string>>; ///< NULL is ""
    /// One statement with its parameters ($1, ...), or several without.
    Result<Rows> run(const std::string& sql, const std::vector<std::string>& parameters = {});

    /// COPY table FROM STDIN, in the text format (PostgreSQL documentation, COPY).
    Result<Done> beginCopy(const std::string& sql);
    Result<Done> copy(std::string_view text);
    Result<Done> endCopy();

    /// A field of that format: tabs, line ends and backslashes escaped.
    static void appendField(std::string& row, std::string_view text);
    /// For an identifier in SQL.
    static std::string quoted(std::string_view name);

private:
    struct State;
    explicit Postgres(std::unique_ptr<State> state);
    Error problem(const std::string& what) const;
    std::unique_ptr<State> state_;
};

} // namespace kurvo
