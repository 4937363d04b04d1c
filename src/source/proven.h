/* SPDX-License-Identifier: Apache-2.0 */
/* New files of a group, proven before they get their names. Whoever makes them writes each where nobody else
 * reaches it (file/fresh.h); then, all together: proven_sync, proven_compare (or a comparison of the act's
 * own), proven_record; and each in its turn: proven_publish. Where the original goes afterwards, first
 * proven_sync_directories, and proven_take_back if it cannot go. What fails says so in its outcome, and is
 * left out from then on. */
#ifndef OLV_SOURCE_PROVEN_H
#define OLV_SOURCE_PROVEN_H

#include "file/fresh.h"
#include "source/hooks.h"

/* The first member of what make_group makes for an entry. */
struct proven {
    struct fresh *fresh;       /* the file; NULL: it is something else */
    const uint8_t *digest;     /* SHA-256 of what was written; NULL: compared in another way */
    bool has_made, is_spared;  /* `made` is known; no rule is to touch it for a while */
    struct olv_stat made;      /* it, before it got its name */
    const char *wanted;        /* the name that it should get */
    char placed[NAME_MAX + 1]; /* the name it got; "" before */
    struct olv_text path;      /* that it should get, and its path then; owned */
};

/* Whether this entry's is there, and nothing has failed. */
bool proven_goes_on(const struct group *group, size_t i);
/* Brings all of them to the disk. */
void proven_sync(const struct group *group);
/* Reads them back, and compares them with what was written. */
void proven_compare(struct turn *turn, const struct group *group);
/* Whether the file has these contents. OLV_UNKNOWN with errno if it cannot be read. */
enum olv_truth proven_has_contents(struct turn *turn, int fd, const uint8_t *digest);
/* Records them durably: after a crash each is recognised, whatever its name. */
void proven_record(const struct turn *turn, const struct group *group);
/* Gives it its name, by exchange or exclusively, as the entry's `if_exists` says. False: the outcome says why
 * not. */
bool proven_publish(struct proven *proven, const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* The outcome of what could not get its name: left if the entry skips what is there. */
void proven_refused(const struct olv_docket_entry *entry, struct olv_outcome *outcome);
/* Brings the directories in which they got names to the disk. */
bool proven_sync_directories(const struct group *group, struct olv_error *err);
/* Removes it again, and gives back its name to what it replaced. */
void proven_take_back(struct proven *proven, struct olv_outcome *outcome);
void proven_free(struct proven *proven);

#endif
