// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/completion.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <algorithm>

#include "cli/command.h"
#include "cli/manual.h"
#include "core/act/logbook.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/own_data.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::cli {
namespace {

constexpr const char* bash = R"(# bash completion for kurvoctl
_kurvoctl() {
    local line words files=
    COMPREPLY=()
    words=("${COMP_WORDS[@]:1:COMP_CWORD}")
    while IFS= read -r line; do
        case $line in
            :files) files=default ;;
            :folders) files=dirnames ;;
            *) COMPREPLY+=("${line%%$'\t'*}") ;;
        esac
    done < <(kurvoctl complete -- "${words[@]}" 2>/dev/null)
    if [ -n "$files" ]; then
        compopt -o "$files" 2>/dev/null
        compopt -o filenames 2>/dev/null
    fi
    case ${COMPREPLY[0]-} in *[:\>]) compopt -o nospace 2>/dev/null ;; esac
}
complete -F _kurvoctl kurvoctl
)";

constexpr const char* zsh = R"(#compdef kurvoctl
_kurvoctl() {
    local line offers=() files=
    while IFS= read -r line; do
        case $line in
            :files) files=_files ;;
            :folders) files='_files -/' ;;
            *) offers+=("${${line%%$'\t'*}//:/\\:}:${line#*$'\t'}") ;;
        esac
    done < <(kurvoctl complete -- "${(@)words[2,CURRENT]}" 2>/dev/null)
    (( ${#offers} )) && _describe kurvoctl offers
    [ -n "$files" ] && ${=files}
    return 0
}
if [ "$funcstack[1]" = _kurvoctl ]; then _kurvoctl "$@"; else compdef _kurvoctl kurvoctl; fi
)";

constexpr const char* fish = R"(# fish completion for kurvoctl
function __kurvoctl_offers
    set -l words (commandline -opc) (commandline -ct)
    for line in (kurvoctl complete -- $words[2..-1] 2>/dev/null)
        switch $line
            case :files
                __fish_complete_path (commandline -ct)
            case :folders
                __fish_complete_directories (commandline -ct)
            case '*'
                echo $line
        end
    end
end
complete -c kurvoctl -f -a '(__kurvoctl_offers)'
)";

bool isSeen(const CLI::App* command)
{
    return !command->get_group().empty();
}

const CLI::Option* optionNamed(const CLI::App& app, const std::string& word)
{
    for (const auto* option : app.get_options()) {
        for (const auto& name : option->get_lnames())
            if (word == "--" + name)
                return option;
        for (const auto& name : option->get_snames())
            if (word == "-" + name)
                return option;
    }
    return app.get_parent() ? optionNamed(*app.get_parent(), word) : nullptr;
}

class Offers {
public:
    Offers(const CLI::App& app, const std::vector<std::string>& words) : app_(&app), words_(words)
    {
        word_ = words.empty() ? std::string() : words.back();
        const auto before = words.empty() ? 0 : words.size() - 1;
        for (std::size_t i = 0; i < before; ++i)
            go(words[i]);
    }

    std::vector<std::string> all()
    {
        if (open_)
            values();
        else if (word_.starts_with('-'))
            options();
        else
            places();
        return std::move(offers_);
    }

private:
    /// Takes in a word that stands before.
    void go(const std::string& word)
    {
        if (open_) {
            open_ = nullptr;
            return;
        }
        if (word.starts_with('-')) {
            const auto* option = optionNamed(*app_, word);
            open_ = option && option->get_items_expected_max() > 0 ? option : nullptr;
            return;
        }
        const auto below = app_->get_subcommands([&](const CLI::App* one) { return one->get_name() == word; });
        if (below.empty())
            ++placesBefore_;
        else
            app_ = below.front();
    }

    void offer(const std::string& word, const std::string& what = {})
    {
        if (word.starts_with(word_))
            offers_.push_back(what.empty() ? word : word + "\t" + what);
    }

    void options()
    {
        for (const auto* app = app_; app; app = app->get_parent())
            for (const auto* option : app->get_options())
                for (const auto& name : option->get_lnames())
                    if (!option->get_group().empty())
                        offer("--" + name, option->get_description());
    }

    void values()
    {
        const auto type = open_->get_type_name();
        const auto name = open_->get_lnames().empty() ? std::string() : open_->get_lnames().front();
        if (const auto from = type.find('{'), to = type.find('}'); from != type.npos && to != type.npos) {
            for (auto at = from + 1; at <= to;) {
                const auto end = type.find_first_of(",}", at);
                offer(type.substr(at, end - at));
                at = end + 1;
            }
        } else if (name == "where") {
            const auto begin = word_.find_last_of(" \t(") + 1;
            for (const auto& word : filterOffers(word_, {}))
                offer(word_.substr(0, begin) + word);
        } else if (name == "in" || name == "to") {
            offers_.push_back(":folders");
        } else if (name == "save" || name == "output" || name == "leave-out" || name == "largest-of") {
            offers_.push_back(":files");
        }
    }

    void places()
    {
        if (placesBefore_ == 0)
            for (const auto* command : app_->get_subcommands(isSeen))
                offer(command->get_name(), command->get_description());
        const auto positionals = app_->get_options([](const CLI::Option* option) { return option->get_positional(); });
        if (positionals.empty())
            return;
        const auto name = positionals[std::min(placesBefore_, positionals.size() - 1)]->get_name(true);
        if (name == "RUN")
            return runs();
        if (name == "TOPIC") {
            for (const auto& [topic, page] : topics())
                offer(std::string(topic));
            return;
        }
        if (name == "SHELL") {
            for (const auto* shell : {"bash", "zsh", "fish"})
                offer(shell);
            return;
        }
        const bool ofSnapshots = app_->get_parent() && app_->get_parent()->get_name() == "snapshot";
        if (name == "SOURCE" || name == "OLD" || name == "NEW" || (name == "FILE" && ofSnapshots))
            snapshots();
        offers_.push_back(":files");
    }

    static std::string dataFolder() { return ownDataFolder(userFolders()); }

    void snapshots()
    {
        for (const auto& entry : readCatalogue(joinPath(dataFolder(), "snapshots")).entries)
            offer(entry.path, entry.info.place + ", " + formatTime(entry.info.taken));
    }

    void runs()
    {
        Logbook logbook(joinPath(dataFolder(), "logbook.db"));
        if (const auto known = logbook.runs())
            for (const auto& run : *known)
                offer(std::to_string(run.id), formatTime(run.began));
    }

    const CLI::App* app_;
    const std::vector<std::string>& words_;
    std::string word_;
    const CLI::Option* open_ = nullptr; ///< waits for its value
    std::size_t placesBefore_ = 0;
    std::vector<std::string> offers_;
};

} // namespace

std::vector<std::string> offersFor(const CLI::App& app, const std::vector<std::string>& words)
{
    return Offers(app, words).all();
}

int runComplete(const CLI::App& app, const std::vector<std::string>& words)
{
    for (const auto& line : offersFor(app, words))
        if (line.find('\n') == line.npos)
            fmt::print("{}\n", line);
    return ExitDone;
}

int runCompletion(const std::string& shell)
{
    fmt::print("{}", shell == "bash" ? bash : shell == "zsh" ? zsh : fish);
    return ExitDone;
}

} // namespace kurvo::cli
