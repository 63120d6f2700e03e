// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/fleet/postgres.h"

#include <dlfcn.h>
#include <libpq-fe.h>

#include "core/base/text.h"

namespace kurvo {
namespace {

/// The functions of libpq that are used here.
struct Library {
    decltype(&::PQconnectdb) connectdb = nullptr;
    decltype(&::PQstatus) status = nullptr;
    decltype(&::PQerrorMessage) errorMessage = nullptr;
    decltype(&::PQfinish) finish = nullptr;
    decltype(&::PQexec) exec = nullptr;
    decltype(&::PQexecParams) execParams = nullptr;
    decltype(&::PQresultStatus) resultStatus = nullptr;
    decltype(&::PQresultErrorMessage) resultErrorMessage = nullptr;
    decltype(&::PQntuples) ntuples = nullptr;
    decltype(&::PQnfields) nfields = nullptr;
    decltype(&::PQgetvalue) getvalue = nullptr;
    decltype(&::PQclear) clear = nullptr;
    decltype(&::PQputCopyData) putCopyData = nullptr;
    decltype(&::PQputCopyEnd) putCopyEnd = nullptr;
    decltype(&::PQgetResult) getResult = nullptr;
    decltype(&::PQsetNoticeProcessor) setNoticeProcessor = nullptr;
    bool complete = false;

    Library()
    {
        void* file = ::dlopen("libpq.so.5", RTLD_NOW | RTLD_LOCAL);
        if (!file)
            return;
        complete = true;
        const auto take = [&](auto& function, const char* name) {
            function = reinterpret_cast<std::remove_reference_t<decltype(function)>>(::dlsym(file, name));
            complete = complete && function;
        };
        take(connectdb, "PQconnectdb");
        take(status, "PQstatus");
        take(errorMessage, "PQerrorMessage");
        take(finish, "PQfinish");
        take(exec, "PQexec");
        take(execParams, "PQexecParams");
        take(resultStatus, "PQresultStatus");
        take(resultErrorMessage, "PQresultErrorMessage");
        take(ntuples, "PQntuples");
        take(nfields, "PQnfields");
        take(getvalue, "PQgetvalue");
        take(clear, "PQclear");
        take(putCopyData, "PQputCopyData");
        take(putCopyEnd, "PQputCopyEnd");
        take(getResult, "PQgetResult");
        take(setNoticeProcessor, "PQsetNoticeProcessor");
    }
};

const Library& library()
{
    static const Library one;
    return one;
}

} // namespace

struct Postgres::State {
    PGconn* connection = nullptr;
    ~State()
    {
        if (connection)
            library().finish(connection);
    }
};

Postgres::Postgres(std::unique_ptr<State> state) : state_(std::move(state)) { }
Postgres::Postgres(Postgres&&) noexcept = default;
Postgres& Postgres::operator=(Postgres&&) noexcept = default;
Postgres::~Postgres() = default;

Error Postgres::problem(const std::string& what) const
{
    std::string said = displayText(library().errorMessage(state_->connection));
    while (said.ends_with("\n") || said.ends_with("\xE2\x8F\x8E")) // as displayText shows a line end
        said.resize(said.size() - (said.ends_with("\n") ? 1 : 3));
    return {ErrorKind::System, {}, 0, "The database could not " + what + ": " + said};
}

Result<Postgres> Postgres::connect(const std::string& where)
{
    const auto& pq = library();
    if (!pq.complete)
        return Error{
            ErrorKind::Unsupported, {}, 0, "To write to a database libpq is needed; it comes with the package libpq5."};
    auto state = std::make_unique<State>();
    state->connection = pq.connectdb(where.c_str());
    Postgres database(std::move(state));
    if (pq.status(database.state_->connection) != CONNECTION_OK)
        return database.problem("be reached");
    pq.setNoticeProcessor(
        database.state_->connection, [](void*, const char*) {}, nullptr); // "already exists, skipping"
    return database;
}

Result<Postgres::Rows> Postgres::run(const std::string& sql, const std::vector<std::string>& parameters)
{
    const auto& pq = library();
    std::vector<const char*> values;
    for (const auto& parameter : parameters)
        values.push_back(parameter.c_str());
    PGresult* result = parameters.empty()
                           ? pq.exec(state_->connection, sql.c_str())
                           : pq.execParams(state_->connection, sql.c_str(), static_cast<int>(values.size()), nullptr,
                                           values.data(), nullptr, nullptr, 0);
    const auto status = pq.resultStatus(result);
    if (status != PGRES_COMMAND_OK && status != PGRES_TUPLES_OK) {
        auto error = problem("do that");
        pq.clear(result);
        return error;
    }
    Rows rows(static_cast<std::size_t>(pq.ntuples(result)));
    for (std::size_t i = 0; i < rows.size(); ++i)
        for (int k = 0; k < pq.nfields(result); ++k)
            rows[i].emplace_back(pq.getvalue(result, static_cast<int>(i), k));
    pq.clear(result);
    return rows;
}

Result<Done> Postgres::beginCopy(const std::string& sql)
{
    const auto& pq = library();
    PGresult* result = pq.exec(state_->connection, sql.c_str());
    const bool ready = pq.resultStatus(result) == PGRES_COPY_IN;
    pq.clear(result);
    return ready ? Result<Done>(Done{}) : Result<Done>(problem("take rows"));
}

Result<Done> Postgres::copy(std::string_view text)
{
    return library().putCopyData(state_->connection, text.data(), static_cast<int>(text.size())) == 1
               ? Result<Done>(Done{})
               : Result<Done>(problem("take rows"));
}

Result<Done> Postgres::endCopy()
{
    const auto& pq = library();
    if (pq.putCopyEnd(state_->connection, nullptr) != 1)
        return problem("take rows");
    Result<Done> done = Done{};
    while (PGresult* result = pq.getResult(state_->connection)) {
        if (pq.resultStatus(result) != PGRES_COMMAND_OK && done)
            done = problem("take rows");
        pq.clear(result);
    }
    return done;
}

void Postgres::appendField(std::string& row, std::string_view text)
{
    constexpr std::string_view special = "\t\n\r\\";
    if (text.find_first_of(special) == text.npos) {
        row += text;
        return;
    }
    for (const char c : text)
        switch (c) {
        case '\t':
            row += "\\t";
            break;
        case '\n':
            row += "\\n";
            break;
        case '\r':
            row += "\\r";
            break;
        case '\\':
            row += "\\\\";
            break;
        default:
            row += c;
        }
}

std::string Postgres::quoted(std::string_view name)
{
    std::string out = "\"";
    for (const char c : name)
        out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + '"';
}

} // namespace kurvo
