// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/digest.h"

#include <sys/types.h>

#include <sha2.h>

#include <cstdint>

namespace kurvo {

std::string digestOf(std::string_view bytes)
{
    char text[SHA256_DIGEST_STRING_LENGTH] = {};
    (void)SHA256Data(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size(), text);
    return text;
}

} // namespace kurvo
