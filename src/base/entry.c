/* SPDX-License-Identifier: Apache-2.0 */
/* The words for kinds of entries, shared by policies, tables and JSON. */
#include "olvido/entry.h"

const char *olv_kind_word(enum olv_kind kind)
{
    static const char *const words[] = {"unknown", "file", "directory", "link", "socket", "pipe", "device"};
    return words[(unsigned)kind < sizeof words / sizeof *words ? kind : 0];
}
