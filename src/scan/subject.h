/* SPDX-License-Identifier: Apache-2.0 */
/* An entry of a walk as the subject of a statement: its facts are fetched from the entry on demand. Whoever
 * knows more (holds, respites) takes these functions and adds its own. */
#ifndef OLV_SCAN_SUBJECT_H
#define OLV_SCAN_SUBJECT_H

#include "olvido/subject.h"
#include "scan/scan.h"

struct scan_subject {
    struct olv_subject subject; /* first member */
    struct olv_scan_entry *entry;
    struct olv_text *text; /* scratch for paths */
};

void scan_subject_begin(struct scan_subject *s, struct olv_scan_entry *entry, struct olv_text *text,
                        const struct olv_subject_facts *facts);

/* The single facts. */
const struct olv_stat *scan_subject_look(struct olv_subject *subject);
const char *scan_subject_path(struct olv_subject *subject, size_t *len);
enum olv_truth scan_subject_is_open(struct olv_subject *subject);
enum olv_truth scan_subject_is_empty(struct olv_subject *subject);
/* Whether a directory has no entries. */
enum olv_truth scan_is_empty(int dir, const char *name);
/* Its absolute path, in the scratch text; NULL without memory. Takes a struct scan_subject. */
const char *scan_subject_whole_path(void *subject);

#endif
