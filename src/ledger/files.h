/* SPDX-License-Identifier: Apache-2.0 */
/* Shared by appending, reading and verifying: the files of a ledger, and the parts of a line. */
#ifndef OLV_LEDGER_FILES_H
#define OLV_LEDGER_FILES_H

#include "ledger/tree.h"
#include "olvido/calendar.h"
#include "seal/seal.h"

enum { LEDGER_NAME_SIZE = 32, MOST_VOLUMES = 100000 };
static const uint64_t LEDGER_VOLUME_BYTES = 64u << 20;

/* The volume that starts with line `first`: "lines-000000000000.jsonl". */
void ledger_volume_name(uint64_t first, char out[LEDGER_NAME_SIZE]);
/* The first lines of all volumes, ascending; the caller frees them. False with `err`. */
bool ledger_volumes(int dir, uint64_t **firsts, size_t *count, struct olv_error *err);

/* Reads line by line. */
struct line_reader {
    int fd;
    char *buffer;
    size_t len, at, cap;
    bool at_end;
};

bool line_reader_open(struct line_reader *r, int dir, const char *name, struct olv_error *err);
/* The next line, NUL-terminated without its newline, valid until the next call; NULL at the end or on an
 * error (then err->code is set). `is_torn`: the last line of the file has no newline. */
char *line_reader_next(struct line_reader *r, size_t *len, bool *is_torn, struct olv_error *err);
/* Goes to the first line that begins at byte `*at` or later, and updates `*at`. */
bool line_reader_seek(struct line_reader *r, uint64_t *at, struct olv_error *err);
/* Where the last whole line of a file of this size ends: 0 if it has none. */
bool line_reader_end(struct line_reader *r, uint64_t size, uint64_t *at, struct olv_error *err);
void line_reader_close(struct line_reader *r);
/* The time at the start of a line; 0 if it has none. */
struct olv_instant line_time(const char *line);

/* The part of the line without its `open` member, plus a closing brace, is what the Merkle leaf covers.
 * `open` gets the object's bytes, or NULL if the line has none. */
struct line_parts {
    size_t head_len;  /* bytes before `,"open":`, or everything except the last brace */
    const char *open; /* borrowed */
    size_t open_len;
};
struct line_parts line_split(const char *line, size_t len);
void line_leaf(struct olv_hasher *hasher, const char *line, struct line_parts parts,
               uint8_t out[OLV_SHA256_SIZE]);

/* The signed checkpoint. */
struct checkpoint {
    uint64_t size;
    uint8_t root[OLV_SHA256_SIZE];
};
/* The origin it names, whoever signed it; "" if there is none. */
bool checkpoint_origin(int dir, char out[ORIGIN_SIZE], struct olv_error *err);
bool checkpoint_read(int dir, const struct olv_key *key, struct checkpoint *out, struct olv_error *err);
/* Reads one from a note kept elsewhere: OLV_BROKEN if it is none, or somebody else's. */
bool checkpoint_parse(const char *note, size_t len, const struct olv_key *key, struct checkpoint *out,
                      struct olv_error *err);
/* Writes it durably; and also into the state directory as the last known one (unless `state` is -1). */
bool checkpoint_write(int dir, int state, const struct olv_key *key, const struct checkpoint *checkpoint,
                      struct olv_error *err);
/* The last known one, if it covers more than `beyond` lines, else size 0: signatures take time, and of one
 * that does not even claim more none is looked at. After a crash it may be an older one, or none. False if it
 * exists and cannot be read. */
bool checkpoint_read_last(int state, const struct olv_key *key, uint64_t beyond, struct checkpoint *out,
                          struct olv_error *err);

#endif
