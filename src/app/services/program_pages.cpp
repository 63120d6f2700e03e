// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/services/program_pages.h"

#include <link.h>
#include <sys/mman.h>
#include <unistd.h>

#include <cstdint>
#include <string_view>

namespace kurvo::app {
namespace {

/// The parts of one file that are mapped and only read.
int bringIn(dl_phdr_info* file, std::size_t, void*)
{
    const std::string_view name = file->dlpi_name;
    if (!name.empty() && name.find("/libQt6") == std::string_view::npos)
        return 0;
    const auto page = static_cast<std::uintptr_t>(::sysconf(_SC_PAGESIZE));
    for (int i = 0; i < file->dlpi_phnum; ++i) {
        const auto& part = file->dlpi_phdr[i];
        if (part.p_type != PT_LOAD || (part.p_flags & PF_W) != 0)
            continue;
        const auto begin = (file->dlpi_addr + part.p_vaddr) / page * page;
        const auto end = file->dlpi_addr + part.p_vaddr + part.p_filesz;
        (void)::madvise(reinterpret_cast<void*>(begin), end - begin, MADV_WILLNEED); // where not, it only takes longer
    }
    return 0;
}

} // namespace

void bringProgramIn()
{
    ::dl_iterate_phdr(bringIn, nullptr);
}

} // namespace kurvo::app
