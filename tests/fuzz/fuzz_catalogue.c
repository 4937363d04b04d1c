/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as a catalogue of depots: it is read to its end or refused, and what it says of files makes sense
 * as far as others rely on it. */
#include "act/acts.h"
#include "depot/catalogue.h"
#include "fuzz.h"

#include <fcntl.h>
#include <limits.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

enum { MOST = 1000 };

struct seen {
    struct olv_catalogue *catalogue;
    unsigned files;
};

static const char *directory(void)
{
    static char path[] = "/tmp/olvido-fuzz-XXXXXX", database[sizeof path + 20];
    if (!fuzz_temporary) {
        must(mkdtemp(path));
        snprintf(database, sizeof database, "%s/catalogue.db", path);
        fuzz_temporary = database;
        atexit(fuzz_tidy);
    }
    return path;
}

static void put(const uint8_t *data, size_t size)
{
    int fd;
    directory();
    fd = open(fuzz_temporary, O_WRONLY | O_CREAT | O_TRUNC, 0600);
    must(fd >= 0 && write(fd, data, size) == (ssize_t)size);
    close(fd);
}

static bool on_file(void *self, const struct olv_stored_file *f)
{
    struct seen *s = self;
    must(f->path[0] == '/' && f->link && f->twin && f->was && f->depot && f->depot_path && f->archive_name);
    must(strlen(f->path) < INT_MAX && (unsigned)f->codec < OLV_CODEC_COUNT);
    return ++s->files < MOST;
}

static bool on_archive(void *self, const struct olv_stored_archive *a)
{
    struct seen *s = self;
    struct frame_list frames = {0};
    struct olv_error err = {0};
    must(a->name && a->depot && a->depot_path && (unsigned)a->codec < OLV_CODEC_COUNT);
    if (!catalogue_frames(s->catalogue, a->id, &frames, &err))
        must(err.code != OLV_OK);
    frame_list_free(&frames);
    return ++s->files < MOST;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct olv_error err = {0};
    struct seen s = {0};
    put(data, size);
    s.catalogue = olv_catalogue_open(directory(), &err);
    if (!s.catalogue) {
        must(err.code == OLV_STATE || err.code == OLV_MEMORY);
        return 0;
    }
    if (!olv_catalogue_files(s.catalogue, OLV_STORED_BY_ARCHIVE, on_file, &s, &err))
        must(err.code != OLV_OK);
    err = (struct olv_error){0};
    if (!olv_catalogue_archives(s.catalogue, on_archive, &s, &err))
        must(err.code != OLV_OK);
    olv_catalogue_tree(s.catalogue, "/srv", on_file, &s, &err);
    olv_catalogue_close(s.catalogue);
    return 0;
}
