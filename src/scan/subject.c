/* SPDX-License-Identifier: Apache-2.0 */
#include "scan/subject.h"

#include "olvido/path.h"
#include "os/os.h"

#include <unistd.h>

void scan_subject_begin(struct scan_subject *s, struct olv_scan_entry *entry, struct olv_text *text,
                        const struct olv_subject_facts *facts)
{
    *s = (struct scan_subject){
        .subject = {.name = entry->name, .name_len = entry->name_len, .kind = entry->kind, .facts = facts},
        .entry = entry,
        .text = text};
    if (entry->has_stat)
        s->subject.stat = &entry->stat;
}

const struct olv_stat *scan_subject_look(struct olv_subject *subject)
{
    struct scan_subject *s = (struct scan_subject *)subject;
    if (olv_scan_look(s->entry))
        subject->stat = &s->entry->stat;
    return subject->stat;
}

/* What nobody can name is known by no path; spelling it out again for each file would take the square of the
 * depth. */
static bool is_too_deep(const struct scan_subject *s)
{
    return s->entry->dir->path_len > OLV_LONGEST_PATH;
}

const char *scan_subject_path(struct olv_subject *subject, size_t *len)
{
    struct scan_subject *s = (struct scan_subject *)subject;
    struct olv_text *text = s->text;
    olv_text_clear(text);
    if (is_too_deep(s))
        return NULL;
    olv_scan_dir_path_below(s->entry->dir, text);
    if (text->len)
        olv_text_add(text, "/", 1);
    olv_text_add(text, s->subject.name, s->subject.name_len);
    if (text->failed || text->len < subject->path_skip)
        return NULL;
    *len = text->len - subject->path_skip;
    return text->data + subject->path_skip;
}

const char *scan_subject_whole_path(void *subject)
{
    struct scan_subject *s = subject;
    struct olv_text *text = s->text;
    olv_text_clear(text);
    if (is_too_deep(s))
        return NULL;
    olv_scan_dir_path(s->entry->dir, text);
    olv_text_puts(text, text->len > 1 ? "/" : "");
    olv_text_add(text, s->entry->name, s->entry->name_len);
    return text->failed ? NULL : text->data;
}

enum olv_truth scan_subject_is_open(struct olv_subject *subject)
{
    struct scan_subject *s = (struct scan_subject *)subject;
    if (subject->kind != OLV_KIND_FILE)
        return OLV_NO;
    return olv_os_is_open_for_writing(s->entry->dir_fd, s->entry->name);
}

enum olv_truth scan_subject_is_empty(struct olv_subject *subject)
{
    const struct scan_subject *s = (struct scan_subject *)subject;
    return scan_is_empty(s->entry->dir_fd, s->entry->name);
}

enum olv_truth scan_is_empty(int dir, const char *name_in_it)
{
    enum { SIZE = 4096 };
    uint64_t buffer[SIZE / sizeof(uint64_t)];
    struct olv_os_name name;
    enum olv_truth answer = OLV_YES;
    int fd = olv_os_open_dir(dir, name_in_it, false);
    struct olv_os_listing listing;
    bool is_listed = fd >= 0 && olv_os_list_begin(&listing, fd);
    ssize_t got = is_listed ? 1 : -1;
    while (answer == OLV_YES && got > 0 && (got = olv_os_list_read(&listing, buffer, SIZE)) > 0) {
        size_t at = 0;
        if (olv_os_next_name(buffer, (size_t)got, &at, &name))
            answer = OLV_NO;
    }
    if (is_listed)
        olv_os_list_end(&listing);
    olv_os_close(fd);
    return got < 0 ? OLV_UNKNOWN : answer;
}
