/* SPDX-License-Identifier: Apache-2.0 */
/* The key for notes on files: read by seal/notes.c, used by file/origin.c. */
#ifndef OLV_BASE_NOTES_H
#define OLV_BASE_NOTES_H

#include <stdbool.h>
#include <stdint.h>

/* Without a key no note is written, and none is trusted. */
struct olv_notes {
    bool has_key;
    uint8_t key[32];
};

#endif
