// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/page.h"

#include <fmt/format.h>

#include <ctime>

#include "core/base/text.h"

namespace kurvo {
namespace {

constexpr const char* style = R"css(
@page { size: auto; margin: 16mm 15mm; }
body { font: 13px/1.45 Inter, system-ui, sans-serif; color: #22272B; background: #fff; max-width: 52em; margin: 2em auto; padding: 0 1em; }
h1 { font-size: 20px; font-weight: 600; margin: 0; }
h2 { font-size: 13px; font-weight: 600; margin: 1.5em 0 .35em; }
.second { color: #5E666D; }
.facts { margin: .3em 0 1.1em; }
.free { font-size: 28px; font-weight: 600; font-variant-numeric: tabular-nums; }
.free i { font-style: normal; color: #5E666D; font-weight: 400; }
.bar { display: flex; height: 14px; border: 1px solid #DAD5CA; border-radius: 2px; overflow: hidden; margin: .5em 0 .25em; print-color-adjust: exact; -webkit-print-color-adjust: exact; }
.bar b { background: #7F939E; } .bar u { background: #0B6E6E; } .bar s { background: #F0EDE6; flex: 1; }
table { border-collapse: collapse; width: 100%; }
td, th { text-align: left; vertical-align: top; padding: .28em .8em .28em 0; border-bottom: 1px solid #DAD5CA; font-weight: 400; }
th { color: #5E666D; font-size: 11px; }
.n { text-align: right; white-space: nowrap; font-variant-numeric: tabular-nums; }
.w { white-space: nowrap; }
.box { display: inline-block; width: .8em; height: .8em; border: 1px solid #22272B; margin-right: .6em; vertical-align: -1px; }
ul { margin: .2em 0; padding-left: 1.2em; }
tr { break-inside: avoid; } h2 { break-after: avoid; }
.small { font-size: 11px; }
@media print { body { margin: 0; padding: 0; max-width: none; font-size: 11px; } }
)css";

} // namespace

std::string htmlText(std::string_view bytes)
{
    std::string text;
    for (const char c : displayText(bytes))
        switch (c) {
        case '&':
            text += "&amp;";
            break;
        case '<':
            text += "&lt;";
            break;
        case '>':
            text += "&gt;";
            break;
        case '"':
            text += "&quot;";
            break;
        case '/':
            text += "/<wbr>"; // long paths break where people read them
            break;
        default:
            text += c;
        }
    return text;
}

std::string htmlPage(std::string_view title, std::string_view body)
{
    return fmt::format("<!DOCTYPE html>\n<html lang=en><head><meta charset=utf-8><title>{}</title><style>{}</style></head>"
                       "<body>\n{}</body></html>\n",
                       htmlText(title), style, body);
}

std::string utcText(std::int64_t time)
{
    const std::time_t seconds = time;
    std::tm parts{};
    ::gmtime_r(&seconds, &parts);
    char text[32];
    std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &parts);
    return text;
}

} // namespace kurvo
