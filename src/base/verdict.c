/* SPDX-License-Identifier: Apache-2.0 */
/* The words for reasons, shared by tables, explanations and JSON. */
#include "olvido/verdict.h"

static const struct {
    const char *key, *words;
} reasons[OLV_REASON_COUNT] = {
    [OLV_DUE] = {"due", "due"},
    [OLV_KEPT] = {"kept", "kept"},
    [OLV_HAD] = {"had", "done already"},
    [OLV_STORED] = {"stored", "lies in a depot"},
    [OLV_NOT_DUE] = {"not_due", "not due yet"},
    [OLV_SETTLING] = {"settling", "spared: just modified"},
    [OLV_OPEN] = {"open", "spared: open for writing"},
    [OLV_RESPITE] = {"respite", "spared: recovered recently"},
    [OLV_HELD] = {"held", "spared: held"},
    [OLV_LONG_NAME] = {"long_name", "spared: its name leaves no room for a suffix"},
    [OLV_GUARDED] = {"guarded", "guarded: never touched"},
    [OLV_WAITING] = {"waiting", "waits: not allowed unattended"},
    [OLV_NOTICE] = {"notice", "waits: the rule is new or changed"},
    [OLV_CLOCK_OFF] = {"clock_off", "waits: the clock is doubtful"},
    [OLV_INSIDE] = {"inside", "spared: something in it stays"},
    [OLV_ODD_TIME] = {"odd_time", "not due: time not credible"},
    [OLV_NO_DATE] = {"no_date", "not due: no date in the name"},
    [OLV_UNDECIDED] = {"undecided", "left alone: `where` could not be decided"},
    [OLV_GONE] = {"gone", "gone meanwhile"},
    [OLV_NOT_OWNED] = {"not_owned", "belongs to no rule"},
};

const char *olv_reason_key(enum olv_reason reason)
{
    return reasons[reason].key;
}

const char *olv_reason_words(enum olv_reason reason)
{
    return reasons[reason].words;
}

const char *olv_obstacle_words(enum olv_obstacle obstacle)
{
    static const char *const words[OLV_OBSTACLES_MOST] = {
        [OLV_OBSTACLE_SYSTEM] = "it lies in a system directory: nothing there is ever touched",
        [OLV_OBSTACLE_OWN_FILE] = "it is one of Olvido's own files",
        [OLV_OBSTACLE_OWN_PLACE] = "it lies in one of Olvido's own places: nothing there is ever touched",
        [OLV_OBSTACLE_LANDMARK] = "it is a home directory or the top of the file system: it stays",
        [OLV_OBSTACLE_MOUNT] = "another file system begins here: it stays",
        [OLV_OBSTACLE_BLOCKED_INSIDE] = "something in it is kept, held, recovered recently, or unknown",
        [OLV_OBSTACLE_OPEN_INSIDE] = "something in it is open for writing",
        [OLV_OBSTACLE_OTHERS_INSIDE] = "something in it belongs to another rule",
        [OLV_OBSTACLE_HELD] = "it is held",
        [OLV_OBSTACLE_RECOVERED] = "it was recovered within the last 30 days",
        [OLV_OBSTACLE_OPEN] = "it is open for writing",
        [OLV_OBSTACLE_MAYBE_OPEN] =
            "nothing tells whether it is open for writing: nothing is done that cannot be taken back",
        [OLV_OBSTACLE_IMMUTABLE] = "it is protected: immutable by its file attributes",
        [OLV_OBSTACLE_APPEND_ONLY] = "it is protected: append-only by its file attributes",
        [OLV_OBSTACLE_IMMUTABLE_DIRECTORY] =
            "its directory is immutable: nothing in it can be renamed or removed",
        [OLV_OBSTACLE_APPEND_ONLY_DIRECTORY] =
            "its directory is append-only: nothing in it can be renamed or removed",
        [OLV_OBSTACLE_READ_ONLY] = "its file system is mounted read-only",
        [OLV_OBSTACLE_NOT_YOURS] = "you may not change its directory",
    };
    return words[obstacle];
}
