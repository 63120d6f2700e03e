// SPDX-License-Identifier: GPL-3.0-or-later
// Reading a filter, and offering what can be typed next.
#include <algorithm>
#include <array>
#include <ctime>
#include <iterator>
#include <optional>

#include "core/base/figures.h"
#include "core/find/filter.h"

namespace kurvo {
namespace {

constexpr std::int64_t day = 86400;
constexpr std::size_t deepest = 200; ///< brackets and nots inside each other

constexpr std::string_view fields[] = {"name",  "path",  "size", "apparent", "age",    "changed", "family", "type",
                                       "owner", "under", "is",   "mark",     "advice", "role",    "change", "delta"};
constexpr std::string_view changes[] = {"appeared", "vanished", "grew", "shrank", "moved"};
bool isOrdered(std::string_view field)
{
    return field == "size" || field == "apparent" || field == "age" || field == "changed" || field == "delta";
}
/// The levels of advice as one types them, in their order.
constexpr std::string_view levels[] = {"leave", "tool", "call", "safe"};
constexpr std::pair<std::string_view, Filter::Test> states[] = {
    {"hidden", Filter::Test::Hidden},  {"sparse", Filter::Test::Sparse},   {"preallocated", Filter::Test::Preallocated},
    {"linked", Filter::Test::Linked},  {"planned", Filter::Test::Planned}, {"symlink", Filter::Test::SymbolicLink},
    {"empty", Filter::Test::EmptyFile}};

std::string lower(std::string_view text)
{
    std::string out(text);
    for (auto& c : out)
        c = c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c;
    return out;
}

/// One bit a role; "personal" means all of somebody's own files, of whatever kind.
std::uint32_t rolesAsTyped(std::string_view name)
{
    const auto role = roleNamed(name);
    std::uint32_t roles = role ? 1u << static_cast<unsigned>(*role) : 0;
    if (role == Role::Personal)
        for (const auto kind : {Role::Documents, Role::Pictures, Role::Audio, Role::Video})
            roles |= 1u << static_cast<unsigned>(kind);
    return roles;
}

std::string roleNames()
{
    std::string names;
    for (std::size_t i = 0; i < roleCount; ++i)
        names += (i == 0 ? "" : ", ") + std::string(roleName(static_cast<Role>(i)));
    return names;
}

/// A family as one types it: the first word of its name.
std::string familyWord(Family family)
{
    const std::string name = lower(familyName(family));
    return name.substr(0, name.find(' '));
}

/// Midnight (local time) at the beginning of a day.
std::int64_t midnight(int year, int month, int dayOfMonth)
{
    std::tm t{};
    t.tm_year = year - 1900;
    t.tm_mon = month - 1;
    t.tm_mday = dayOfMonth;
    t.tm_isdst = -1;
    return std::mktime(&t);
}

} // namespace

/// Recursive descent; writes the terms in postfix order.
class FilterParser {
public:
    explicit FilterParser(std::string_view text) : text_(text) { }

    std::variant<Filter, FilterError> run()
    {
        skipBlanks();
        if (at_ < text_.size())
            either();
        skipBlanks();
        if (!error_ && at_ < text_.size())
            fail(at_, 1, text_[at_] == ')' ? "There is no bracket that this one closes." : "This was not understood.");
        if (error_)
            return *error_;
        return std::move(filter_);
    }

private:
    using Test = Filter::Test;

    struct Word {
        std::size_t at = 0;
        std::string raw;                    ///< as it stands there
        std::string text;                   ///< without quotes and escapes
        std::size_t op = std::string::npos; ///< where in `text` an operator outside of quotes begins
        bool quoted = false;
    };

    bool fail(std::size_t at, std::size_t length, std::string sentence)
    {
        if (!error_)
            error_ = FilterError{std::min(at, text_.size()),
                                 std::min(std::max<std::size_t>(length, 1), text_.size() - std::min(at, text_.size())),
                                 std::move(sentence)};
        return false;
    }
    void add(Filter::Term term) { filter_.terms_.push_back(std::move(term)); }
    void add(Test test)
    {
        Filter::Term term;
        term.test = test;
        add(std::move(term));
    }
    void skipBlanks()
    {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\n'))
            ++at_;
    }
    /// The keyword if it stands here as a word of its own.
    bool isKeyword(std::string_view keyword) const
    {
        if (lower(text_.substr(at_, keyword.size())) != keyword)
            return false;
        const auto end = at_ + keyword.size();
        return end == text_.size() || text_[end] == ' ' || text_[end] == '(' || text_[end] == ')' || text_[end] == '\t';
    }

    bool either()
    {
        if (!all())
            return false;
        for (skipBlanks(); isKeyword("or"); skipBlanks()) {
            const auto where = at_;
            at_ += 2;
            skipBlanks();
            if (at_ == text_.size() || text_[at_] == ')' || isKeyword("or"))
                return fail(where, 2, "After \"or\" something is missing.");
            if (!all())
                return false;
            add(Test::Or);
        }
        return true;
    }
    bool all()
    {
        if (isKeyword("or"))
            return fail(at_, 2, "Before \"or\" something is missing.");
        if (!one())
            return false;
        for (skipBlanks(); at_ < text_.size() && text_[at_] != ')' && !isKeyword("or"); skipBlanks()) {
            if (isKeyword("and")) {
                const auto where = at_;
                at_ += 3;
                skipBlanks();
                if (at_ == text_.size() || text_[at_] == ')' || isKeyword("or"))
                    return fail(where, 3, "After \"and\" something is missing.");
            }
            if (!one())
                return false;
            add(Test::And);
        }
        return true;
    }
    bool one()
    {
        if (++depth_ > deepest)
            return fail(at_, 1, "This is nested too deeply.");
        const bool good = oneInside();
        --depth_;
        return good;
    }
    bool oneInside()
    {
        if (isKeyword("not")) {
            const auto where = at_;
            at_ += 3;
            skipBlanks();
            if (at_ == text_.size() || text_[at_] == ')' || isKeyword("or"))
                return fail(where, 3, "After \"not\" something is missing.");
            if (!one())
                return false;
            add(Test::Not);
            return true;
        }
        if (text_[at_] == '(') {
            const auto where = at_++;
            skipBlanks();
            if (at_ < text_.size() && text_[at_] == ')')
                return fail(where, 2, "There is nothing in these brackets.");
            if (at_ == text_.size())
                return fail(where, 1, "This bracket is not closed.");
            if (!either())
                return false;
            skipBlanks();
            if (at_ == text_.size())
                return fail(where, 1, "This bracket is not closed.");
            ++at_; // the only thing that can stand here is ')'
            return true;
        }
        Word word;
        return readWord(word) && term(word);
    }

    bool readWord(Word& word)
    {
        word.at = at_;
        while (at_ < text_.size()) {
            const char c = text_[at_];
            if (c == ' ' || c == '\t' || c == '\n' || c == '(' || c == ')')
                break;
            if (c == '"') {
                const auto where = at_++;
                word.quoted = true;
                while (at_ < text_.size() && text_[at_] != '"') {
                    if (text_[at_] == '\\' && at_ + 1 < text_.size())
                        ++at_;
                    word.text += text_[at_++];
                }
                if (at_ == text_.size())
                    return fail(where, text_.size() - where, "This quotation mark is not closed.");
                ++at_;
                continue;
            }
            if (c == '\\' && at_ + 1 < text_.size()) {
                word.text += text_[at_ + 1];
                at_ += 2;
                continue;
            }
            if (word.op == std::string::npos && !word.text.empty() && (c == ':' || c == '<' || c == '>' || c == '='))
                word.op = word.text.size();
            word.text += c;
            ++at_;
        }
        word.raw = std::string(text_.substr(word.at, at_ - word.at));
        if (word.text.empty())
            return fail(word.at, std::max<std::size_t>(1, at_ - word.at),
                        word.quoted ? "There is nothing between these quotation marks." : "This was not understood.");
        return true;
    }

    bool term(const Word& word)
    {
        if (word.op == std::string::npos)
            return plain(word.text);
        const auto field = lower(word.text.substr(0, word.op));
        const bool known = std::find(std::begin(fields), std::end(fields), field) != std::end(fields);
        const auto width = word.raw.size();
        if (!known) {
            if (word.text[word.op] == ':' && field.find_first_not_of("abcdefghijklmnopqrstuvwxyz") != std::string::npos)
                return plain(word.text); // "12:30" is part of a name
            return fail(word.at, word.op,
                        "\"" + field +
                            "\" is no field. There are: name, path, size, apparent, age, changed, family, "
                            "type, owner, under, is, mark, advice, role, change, delta.");
        }
        auto value = word.text.substr(word.op);
        auto op = value.substr(0, value.size() > 1 && value[1] == '=' && value[0] != '=' && value[0] != ':' ? 2 : 1);
        value.erase(0, op.size());
        if (value.empty())
            return fail(word.at, width, "After \"" + field + op + "\" a value is missing.");
        const auto valueAt = word.at + width - std::min(width, value.size());
        const bool compares = op != ":" && op != "=";
        if (compares && !isOrdered(field))
            return fail(word.at + word.op, op.size(),
                        "\"" + field + "\" is not compared: write " + field + ":" + value + ".");
        if (field == "size" || field == "apparent")
            return size(field == "size" ? Test::Size : Test::Apparent, op, value, valueAt);
        if (field == "delta")
            return delta(op, value, valueAt);
        if (field == "age")
            return age(op, value, valueAt);
        if (field == "changed")
            return changed(op, value, valueAt);
        if (field == "name") {
            return plain(value);
        }
        Filter::Term made;
        if (field == "path") {
            made.test = Test::PathGlob;
            made.text = value.find_first_of("*?[") == std::string::npos ? "*" + value + "*" : value;
        } else if (field == "under") {
            made.test = Test::Under;
            made.text = value;
            while (made.text.size() > 1 && made.text.back() == '/')
                made.text.pop_back();
        } else {
            return list(field, value, valueAt);
        }
        add(std::move(made));
        return true;
    }

    bool plain(const std::string& text)
    {
        Filter::Term made;
        const bool glob = text.find_first_of("*?[") != std::string::npos;
        made.test = !glob ? Test::Word : text.find('/') != std::string::npos ? Test::PathGlob : Test::NameGlob;
        made.text = glob ? text : lower(text);
        add(std::move(made));
        return true;
    }

    bool list(const std::string& field, const std::string& value, std::size_t valueAt)
    {
        Filter::Term made;
        made.test = field == "family"   ? Test::Families
                    : field == "type"   ? Test::Types
                    : field == "mark"   ? Test::Marks
                    : field == "advice" ? Test::Advices
                    : field == "role"   ? Test::Roles
                    : field == "change" ? Test::Changes
                                        : Test::Owners;
        std::vector<Filter::Term> isTerms;
        for (std::size_t begin = 0; begin <= value.size();) {
            const auto end = std::min(value.find(',', begin), value.size());
            const auto one = value.substr(begin, end - begin);
            const auto at = valueAt + begin;
            begin = end + 1;
            if (one.empty())
                return fail(at, 1, "Between the commas a value is missing.");
            if (field == "family") {
                bool found = false;
                for (std::size_t f = 0; f < familyCount; ++f)
                    if (familyWord(static_cast<Family>(f)).starts_with(lower(one))) {
                        made.families |= 1u << f;
                        found = true;
                    }
                if (!found)
                    return fail(at, one.size(),
                                "\"" + one +
                                    "\" is no family. There are: video, audio, pictures, "
                                    "documents, archives, disk, databases, programs, logs, "
                                    "unknown.");
            } else if (field == "type") {
                const auto type = typeOfName("x." + one);
                if (type == 0)
                    return fail(at, one.size(), "\"" + one + "\" is no type that is known. Write name:*." + one + ".");
                made.types.push_back(type);
            } else if (field == "owner") {
                made.values.push_back(one);
            } else if (field == "mark") {
                made.values.push_back(lower(one));
            } else if (field == "advice") {
                const auto level = std::find(std::begin(levels), std::end(levels), lower(one));
                if (level == std::end(levels))
                    return fail(at, one.size(),
                                "\"advice:" + one + "\" is not known. There are: safe, call, tool, leave.");
                made.families |= 1u << (level - std::begin(levels));
            } else if (field == "role") {
                const auto roles = rolesAsTyped(lower(one));
                if (roles == 0)
                    return fail(at, one.size(), "\"" + one + "\" is no role. There are: " + roleNames() + ".");
                made.families |= roles;
            } else if (field == "change") {
                const auto kind = std::find(std::begin(changes), std::end(changes), lower(one));
                if (kind == std::end(changes))
                    return fail(at, one.size(),
                                "\"change:" + one +
                                    "\" is not known. There are: appeared, vanished, grew, shrank, moved.");
                made.families |= 1u << (kind - std::begin(changes));
            } else {
                const auto state = std::find_if(std::begin(states), std::end(states),
                                                [&one](const auto& s) { return s.first == lower(one); });
                if (state == std::end(states))
                    return fail(
                        at, one.size(),
                        "\"is:" + one +
                            "\" is not known. There are: hidden, sparse, preallocated, linked, planned, symlink, "
                            "empty.");
                Filter::Term test;
                test.test = state->second;
                isTerms.push_back(std::move(test));
            }
        }
        if (field != "is") {
            add(std::move(made));
            return true;
        }
        for (std::size_t i = 0; i < isTerms.size(); ++i) {
            add(std::move(isTerms[i]));
            if (i > 0)
                add(Test::Or);
        }
        return true;
    }

    /// A number with digits after its point, as it is typed: 1.5
    static std::optional<double> number(const std::string& text, std::size_t& used)
    {
        used = 0;
        double value = 0, scale = 0;
        for (; used < text.size(); ++used) {
            if (text[used] >= '0' && text[used] <= '9') {
                value = value * 10 + (text[used] - '0');
                scale *= 10;
            } else if (text[used] == '.' && scale == 0) {
                scale = 1;
            } else {
                break;
            }
        }
        if (used == 0 || (used == 1 && text[0] == '.'))
            return std::nullopt;
        return scale > 0 ? value / scale : value;
    }

    static std::int64_t bounded(double value)
    {
        constexpr double most = 9e18;
        return static_cast<std::int64_t>(std::min(value, most));
    }

    /// Sets the bounds of what `op` says of a value that stands for [first, last].
    static void setBounds(Filter::Term& term, const std::string& op, std::int64_t first, std::int64_t last)
    {
        if (op == "<")
            term.most = first == INT64_MIN ? first : first - 1;
        else if (op == "<=")
            term.most = last;
        else if (op == ">")
            term.least = last == INT64_MAX ? last : last + 1;
        else if (op == ">=")
            term.least = first;
        else {
            term.least = first;
            term.most = last;
        }
    }

    bool size(Test test, const std::string& op, const std::string& value, std::size_t at)
    {
        const auto bytes = parseSize(value);
        if (!bytes)
            return fail(at, value.size(),
                        "\"" + value + "\" is no size. Write 500, 20K, 1.5G; K, M, G and T are powers of 1024.");
        const auto exact = static_cast<std::int64_t>(std::min<std::uint64_t>(*bytes, INT64_MAX));
        Filter::Term made;
        made.test = test;
        setBounds(made, op, exact, exact);
        add(std::move(made));
        return true;
    }

    /// A size that may be negative.
    bool delta(const std::string& op, const std::string& value, std::size_t at)
    {
        const bool negative = value.starts_with('-');
        const auto bytes = parseSize(value.substr(negative || value.starts_with('+') ? 1 : 0));
        if (!bytes)
            return fail(at, value.size(), "\"" + value + "\" is no change in size. Write delta>1G or delta<-500M.");
        const auto size = static_cast<std::int64_t>(std::min<std::uint64_t>(*bytes, INT64_MAX));
        Filter::Term made;
        made.test = Test::Delta;
        setBounds(made, op, negative ? -size : size, negative ? -size : size);
        add(std::move(made));
        return true;
    }

    bool age(const std::string& op, const std::string& value, std::size_t at)
    {
        std::size_t used = 0;
        const auto amount = number(value, used);
        const auto unit = lower(value.substr(used));
        const std::pair<std::string_view, std::int64_t> units[] = {
            {"h", 3600}, {"d", day}, {"w", 7 * day}, {"m", 30 * day}, {"y", 365 * day}};
        const auto found =
            std::find_if(std::begin(units), std::end(units), [&unit](const auto& u) { return u.first == unit; });
        if (!amount || found == std::end(units))
            return fail(at, value.size(), "\"" + value + "\" is no age. Write 12h, 30d, 6w, 3m or 2y.");
        Filter::Term made;
        made.test = Test::Age;
        const auto seconds = bounded(*amount * static_cast<double>(found->second));
        // "age:2d" is the third day.
        setBounds(made, op, seconds, op == ":" || op == "=" ? seconds + found->second - 1 : seconds);
        add(std::move(made));
        return true;
    }

    bool changed(const std::string& op, const std::string& value, std::size_t at)
    {
        int parts[3] = {0, 1, 1};
        int count = 0;
        std::size_t used = 0;
        for (; count < 3 && used < value.size(); ++count) {
            if (count > 0 && value[used++] != '-')
                break;
            const auto begin = used;
            parts[count] = 0;
            while (used < value.size() && value[used] >= '0' && value[used] <= '9' && used - begin < 4)
                parts[count] = parts[count] * 10 + (value[used++] - '0');
            if (used - begin != (count == 0 ? 4u : 2u)) {
                count = -1;
                break;
            }
        }
        static constexpr int lengths[] = {31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
        const bool good = count >= 1 && used == value.size() && parts[0] >= 1900 && parts[1] >= 1 && parts[1] <= 12 &&
                          parts[2] >= 1 && parts[2] <= lengths[parts[1] - 1];
        if (!good)
            return fail(at, value.size(), "\"" + value + "\" is no date. Write 2025, 2025-03 or 2025-03-31.");
        const auto first = midnight(parts[0], parts[1], parts[2]);
        const auto next = count == 1   ? midnight(parts[0] + 1, 1, 1)
                          : count == 2 ? midnight(parts[0], parts[1] + 1, 1)
                                       : midnight(parts[0], parts[1], parts[2] + 1);
        Filter::Term made;
        made.test = Test::Changed;
        setBounds(made, op, first, next - 1);
        add(std::move(made));
        return true;
    }

    std::string_view text_;
    std::size_t at_ = 0;
    std::size_t depth_ = 0;
    Filter filter_;
    std::optional<FilterError> error_;
};

std::variant<Filter, FilterError> Filter::parse(std::string_view text)
{
    return FilterParser(text).run();
}

std::span<const std::string_view> filterChanges()
{
    return changes;
}

std::vector<std::string> filterOffers(std::string_view text, const FilterContext& context)
{
    const auto begin = text.find_last_of(" \t(") + 1; // npos + 1 is 0
    const auto word = lower(text.substr(begin));
    std::vector<std::string> offers;
    const auto offer = [&](std::string candidate) {
        if (candidate.size() > word.size() && lower(candidate).starts_with(word))
            offers.push_back(std::move(candidate));
    };
    const auto colon = word.find(':');
    if (colon == std::string::npos) {
        for (const auto field : fields) {
            offer(std::string(field) + (isOrdered(field) ? ">" : ":"));
        }
        return word.empty() ? std::vector<std::string>{} : offers;
    }
    const auto field = word.substr(0, colon);
    if (field == "family")
        for (std::size_t f = 0; f < familyCount; ++f)
            offer("family:" + familyWord(static_cast<Family>(f)));
    if (field == "is")
        for (const auto& [state, test] : states)
            offer("is:" + std::string(state));
    if (field == "change")
        for (const auto change : changes)
            offer("change:" + std::string(change));
    if (field == "owner")
        for (const auto& [uid, name] : context.owners)
            offer("owner:" + name);
    if (field == "advice")
        for (const auto level : levels)
            offer("advice:" + std::string(level));
    if (field == "role")
        for (std::size_t role = 0; role < roleCount; ++role)
            offer("role:" + std::string(roleName(static_cast<Role>(role))));
    if (field == "mark") {
        if (context.marks)
            for (const auto& kind : context.marks->book().kinds)
                offer("mark:" + kind.id);
        offer("mark:any");
        offer("mark:none");
    }
    return offers;
}

} // namespace kurvo
