/* SPDX-License-Identifier: Apache-2.0 */
/* The result of judging a file by a policy. */
#ifndef OLVIDO_VERDICT_H
#define OLVIDO_VERDICT_H

#include "olvido/calendar.h"

#include <stddef.h>

enum olv_reason {
    OLV_DUE,
    OLV_KEPT,      /* the latest step whose time has come is `keep` */
    OLV_HAD,       /* it has had the latest step whose time has come, or a later one */
    OLV_STORED,    /* in a depot, and no due step reaches it there */
    OLV_NOT_DUE,   /* too young for every step */
    OLV_SETTLING,  /* due, but modified within the rule's `settle` */
    OLV_OPEN,      /* due, but open for writing */
    OLV_RESPITE,   /* due, but recovered within the last 30 days */
    OLV_HELD,      /* due, but held */
    OLV_LONG_NAME, /* due, but its name is too long for the one that the step gives */
    OLV_GUARDED,   /* due, but in a place that is never touched */
    OLV_WAITING,   /* due, but its step may not run unattended */
    OLV_NOTICE,    /* due, but the rule is new or changed, and the step cannot be taken back */
    OLV_CLOCK_OFF, /* due, but the clock is not trusted, and the step cannot be taken back */
    OLV_INSIDE,    /* a directory that is due, except for something in it */
    OLV_ODD_TIME,  /* its time is in the future, at or before 1970-01-02, or missing */
    OLV_NO_DATE,   /* its name has no date, which the rule counts from */
    OLV_UNDECIDED, /* a statement could not be decided, so neither this rule nor a later one takes it */
    OLV_GONE,      /* it vanished while being looked at */
    OLV_NOT_OWNED,
    OLV_REASON_COUNT
};

/* The key in JSON ("not_due") and the words for people ("not due yet"). */
const char *olv_reason_key(enum olv_reason reason);
const char *olv_reason_words(enum olv_reason reason);

/* What would stop an act on a file, due or not. */
enum olv_obstacle {
    OLV_OBSTACLE_SYSTEM,
    OLV_OBSTACLE_OWN_FILE,
    OLV_OBSTACLE_OWN_PLACE,
    OLV_OBSTACLE_LANDMARK,
    OLV_OBSTACLE_MOUNT,
    OLV_OBSTACLE_BLOCKED_INSIDE,
    OLV_OBSTACLE_OPEN_INSIDE,
    OLV_OBSTACLE_OTHERS_INSIDE,
    OLV_OBSTACLE_HELD,
    OLV_OBSTACLE_RECOVERED,
    OLV_OBSTACLE_OPEN,
    OLV_OBSTACLE_MAYBE_OPEN,
    OLV_OBSTACLE_IMMUTABLE,
    OLV_OBSTACLE_APPEND_ONLY,
    OLV_OBSTACLE_IMMUTABLE_DIRECTORY,
    OLV_OBSTACLE_APPEND_ONLY_DIRECTORY,
    OLV_OBSTACLE_READ_ONLY,
    OLV_OBSTACLE_NOT_YOURS,
    OLV_OBSTACLES_MOST
};
const char *olv_obstacle_words(enum olv_obstacle obstacle);
struct olv_obstacles {
    enum olv_obstacle items[OLV_OBSTACLES_MOST];
    size_t count;
};

struct olv_verdict {
    enum olv_reason reason;
    uint32_t rule; /* unless OLV_NOT_OWNED */
    uint32_t step; /* index of the step whose time has come: for OLV_DUE to OLV_INSIDE except OLV_NOT_DUE */
    struct olv_instant start; /* where the rule starts counting, if there is a step; see olv_decider_since */
};

#endif
