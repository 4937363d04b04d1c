/* SPDX-License-Identifier: Apache-2.0 */
/* Any bytes as an archive: it is read to its end, behind every damage, and that comes to an end. */
#include "fuzz.h"
#include "olvido/archive.h"

#include <unistd.h>

enum { MOST_BYTES = 4 << 20, MOST_MEMBERS = 10000 };

struct walk {
    struct olv_archive *archive;
    uint64_t members, bytes, damages;
};

/* The data of a member; false with OLV_BROKEN. */
static bool read_data(struct walk *w, struct olv_error *err)
{
    const uint8_t *bytes;
    size_t len = 1;
    uint64_t at;
    while (len && w->bytes < MOST_BYTES) {
        if (!olv_archive_data(w->archive, &bytes, &len, &at, err))
            return false;
        w->bytes += len;
    }
    return true;
}

static void walk(struct walk *w)
{
    struct olv_error err = {0};
    struct olv_member m;
    while (w->bytes < MOST_BYTES && w->members < MOST_MEMBERS) {
        if (olv_archive_next(w->archive, &m, &err) && read_data(w, &err)) {
            w->members++;
            continue;
        }
        if (err.code == OLV_OK)
            return;
        must(err.code == OLV_BROKEN || err.code == OLV_MEMORY);
        err = (struct olv_error){0};
        if (!olv_archive_go_on(w->archive, &err))
            return;
        must(++w->damages <= olv_archive_size(w->archive));
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static char path[] = "/tmp/olvido-fuzz-XXXXXX";
    struct olv_error err = {0};
    struct walk w = {0};
    FILE *file;
    if (!fuzz_temporary) {
        int fd = mkstemp(path);
        must(fd >= 0);
        close(fd);
        fuzz_temporary = path;
        atexit(fuzz_tidy);
    }
    file = fopen(fuzz_temporary, "wb");
    must(file && fwrite(data, 1, size, file) == size && fclose(file) == 0);
    w.archive = olv_archive_open(fuzz_temporary, &err);
    must(w.archive || err.code == OLV_BROKEN || err.code == OLV_MEMORY);
    if (w.archive && olv_archive_form(w.archive) != OLV_FORM_SINGLE)
        walk(&w);
    olv_archive_close(w.archive);
    return 0;
}
