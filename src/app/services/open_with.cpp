// SPDX-License-Identifier: GPL-3.0-or-later
#include <gio/gdesktopappinfo.h>
#include <gio/gio.h>

#include <memory>

#include "app/services/open_with.h"

namespace kurvo::app {
namespace {

struct Unref {
    void operator()(gpointer object) const { g_object_unref(object); }
};
template <typename T>
using Ref = std::unique_ptr<T, Unref>;

OpenProgram describe(GAppInfo* program)
{
    const char* id = g_app_info_get_id(program);
    const char* name = g_app_info_get_display_name(program);
    return {id ? id : "", name ? name : ""};
}

} // namespace

std::vector<OpenProgram> programsFor(const std::string& path)
{
    std::vector<OpenProgram> found;
    const Ref<GFile> file(g_file_new_for_path(path.c_str()));
    const Ref<GFileInfo> info(g_file_query_info(file.get(), G_FILE_ATTRIBUTE_STANDARD_CONTENT_TYPE,
                                                G_FILE_QUERY_INFO_NONE, nullptr, nullptr));
    const char* type = info ? g_file_info_get_content_type(info.get()) : nullptr;
    if (!type)
        return found;
    const auto add = [&found](GAppInfo* program) {
        const auto one = describe(program);
        for (const auto& known : found)
            if (known.id == one.id)
                return;
        if (!one.id.empty())
            found.push_back(one);
    };
    if (const Ref<GAppInfo> usual(g_app_info_get_default_for_type(type, FALSE)); usual)
        add(usual.get());
    GList* all = g_app_info_get_all_for_type(type);
    for (const GList* at = all; at; at = at->next)
        add(static_cast<GAppInfo*>(at->data));
    g_list_free_full(all, g_object_unref);
    return found;
}

bool openWithProgram(const std::string& id, const std::string& path)
{
    const Ref<GDesktopAppInfo> program(g_desktop_app_info_new(id.c_str()));
    if (!program)
        return false;
    GFile* file = g_file_new_for_path(path.c_str());
    GList* files = g_list_append(nullptr, file);
    const bool started = g_app_info_launch(G_APP_INFO(program.get()), files, nullptr, nullptr) != FALSE;
    g_list_free_full(files, g_object_unref);
    return started;
}

} // namespace kurvo::app
