/* SPDX-License-Identifier: Apache-2.0 */
/* A person's standing habits: settings.yaml beside the policy, after the system's. Each is only more careful
 * than the default, and the system's file may forbid some. docs/settings.md describes them. */
#ifndef OLVIDO_SETTINGS_H
#define OLVIDO_SETTINGS_H

#include "olvido/docket.h"
#include "olvido/policy.h"

enum olv_setting { OLV_SET_ASK, OLV_SET_IF_EXISTS, OLV_SET_COLOUR, OLV_SETTINGS };
/* "ask", "if-exists", "colour". */
const char *olv_setting_name(enum olv_setting setting);

struct olv_settings {
    bool asks_always;             /* also where it need not */
    enum olv_if_exists if_exists; /* never OLV_REPLACE */
    bool asks_if_exists;          /* a person is asked each time */
    enum { OLV_COLOUR_TERMINAL, OLV_COLOUR_NEVER, OLV_COLOUR_ALWAYS } colour;
    char *from[OLV_SETTINGS];        /* the file that says it; NULL: the default holds. Owned */
    const char *words[OLV_SETTINGS]; /* what it says there; borrowed from constants */
    bool is_forbidden[OLV_SETTINGS]; /* to a person's file, by the system's */
};

/* Reads an open file that says more than what is set already; an empty one says nothing. `is_system`: it may
 * also forbid. False with OLV_POLICY if it has errors, which `list` has. See olv_settings_read_trusted. */
bool olv_settings_read(struct olv_settings *settings, int fd, const char *path, bool is_system,
                       struct olv_diagnostics *list, struct olv_error *err);
void olv_settings_free(struct olv_settings *settings);

#endif
