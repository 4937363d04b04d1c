/* SPDX-License-Identifier: Apache-2.0 */
/* The file `clock` of the state directory has the wall clock of the last run beside the boot and the time
 * since then, which nobody can set. */
#include "state/clock.h"

#include "olvido/json.h"
#include "os/durable.h"
#include "os/os.h"

#include <stdlib.h>
#include <string.h>

static const char NAME[] = "clock";
enum { LARGEST = 4096, MOST_DRIFT_S = 3600 };

struct noted {
    struct olv_instant wall;
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_boot_s;
};

static bool read_noted(int state, struct noted *out)
{
    struct olv_text text = {0};
    struct olv_error ignored = {0};
    json_t *json = NULL;
    const char *wall, *boot;
    size_t at;
    bool ok;
    if (olv_read_file(state, NAME, LARGEST, &text, &ignored))
        json = json_loadb(olv_text_string(&text), text.len, 0, NULL);
    wall = json_string_value(json_object_get(json, "wall"));
    boot = json_string_value(json_object_get(json, "boot"));
    ok = wall && boot && strlen(boot) < sizeof out->boot &&
         olv_instant_parse(wall, strlen(wall), &out->wall, &at);
    if (ok) {
        memcpy(out->boot, boot, strlen(boot) + 1);
        out->since_boot_s = (int64_t)olv_json_get_number(json, "since_boot");
    }
    json_decref(json);
    olv_text_free(&text);
    return ok;
}

bool clock_is_trusted(int state, struct olv_instant now, struct olv_instant last, const char **why)
{
    struct noted noted;
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_boot_s;
    *why = NULL;
    if (last.s && olv_instant_compare(now, last) < 0)
        *why = "the clock is behind the last line of the ledger";
    else if (!read_noted(state, &noted)) /* the first run: there is nothing to compare with */
        *why = NULL;
    else if (!olv_os_boot(boot, &since_boot_s))
        *why = "this system does not tell its boots apart, so the clock cannot be checked";
    else if (strcmp(boot, noted.boot) != 0)
        *why =
            olv_os_clock_is_synchronised() == OLV_YES
                ? NULL
                : "the machine was started since the last run, and its clock is not known to be synchronised";
    else if (llabs((now.s - noted.wall.s) - (since_boot_s - noted.since_boot_s)) > MOST_DRIFT_S)
        *why = "the clock was set by more than an hour since the last run";
    return *why == NULL;
}

void clock_note(int state, struct olv_instant now)
{
    char boot[OLV_OS_BOOT_SIZE];
    int64_t since_boot_s;
    struct olv_text text = {0};
    struct olv_error ignored = {
        0}; /* without the note the next run has nothing to compare with, or an older one */
    json_t *json;
    if (!olv_os_boot(boot, &since_boot_s))
        return;
    json = json_object();
    olv_json_instant(json, "wall", now);
    olv_json_string(json, "boot", boot);
    olv_json_number(json, "since_boot", (uint64_t)since_boot_s);
    olv_json_line(json, &text);
    json_decref(json);
    if (!text.failed)
        olv_publish(state, NAME, text.data, text.len, &ignored);
    olv_text_free(&text);
}
