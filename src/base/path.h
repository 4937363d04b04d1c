/* SPDX-License-Identifier: Apache-2.0 */
/* Paths as strings, absolute ones without a slash at their end. */
#ifndef OLV_BASE_PATH_H
#define OLV_BASE_PATH_H

/* What `path` has behind `top`: "" or "/...". NULL: it is neither `top` nor below it. */
const char *path_behind(const char *path, const char *top);
/* Cuts off the last name: of "/a/b" leaves "/a", of "/a" "/", of "a/b" "a", and of "a" "". */
void path_cut(char *path);

#endif
