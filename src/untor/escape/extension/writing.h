/* How values are written into a page: what each of them is looked at for, and how long it becomes, before any is written. */

#ifndef UNTOR_WRITING_H
#define UNTOR_WRITING_H

#include "page.h"

#define MOST_VALUES 64

/* How a value is written: as it is, escaped for markup, or percent-encoded. */
enum { COPIED, ESCAPED, ENCODED };

typedef struct {
    PyObject *text;       /* what is written; NULL where it is a number */
    PyObject *owned;      /* what is to be released afterwards */
    Py_ssize_t length;    /* how long it becomes */
    const unsigned char *more;
    unsigned char way;
    unsigned char whole;  /* whether it has the texts of its edges in it */
    char number[LONGEST_NUMBER];
} Piece;

/* --- writing -------------------------------------------------------------------------------------------------------- */

static inline Py_ssize_t copy_text(PyObject *text, int kind, void *to, Py_ssize_t at)
{
    return copy(PyUnicode_DATA(text), PyUnicode_KIND(text), PyUnicode_GET_LENGTH(text), kind, to, at);
}

static inline Py_ssize_t escape(PyObject *text, const unsigned char *more, int kind, void *to, Py_ssize_t at)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(text);
    int from_kind = PyUnicode_KIND(text);
    const void *from = PyUnicode_DATA(text);
    for (Py_ssize_t i = 0; i < length; i++) {
        Py_UCS4 c = PyUnicode_READ(from_kind, from, i);
        if (c < 256 && more[c]) {
            for (const char *each = REFERENCES[c]; *each; each++, at++)
                PyUnicode_WRITE(kind, to, at, (Py_UCS4)*each);
        }
        else {
            PyUnicode_WRITE(kind, to, at, c);
            at++;
        }
    }
    return at;
}

/* A string escaped for markup, which is longer by so many characters: a new reference, or NULL with an exception. */
static inline PyObject *escaped(PyObject *string, const unsigned char *more, Py_ssize_t extra)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(string);
    if (extra > PY_SSIZE_T_MAX - length)
        return PyErr_NoMemory();
    PyObject *result = PyUnicode_New(length + extra, PyUnicode_MAX_CHAR_VALUE(string));
    if (result != NULL)
        escape(string, more, PyUnicode_KIND(result), PyUnicode_DATA(result), 0);
    return result;
}

/* --- percent-encoding ---------------------------------------------------------------------------------------------- */

/* How long a string is when it is percent-encoded; -1 when it has a surrogate in it. */
static inline Py_ssize_t encoded_length(PyObject *string)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(string), found = 0;
    int kind = PyUnicode_KIND(string);
    const void *data = PyUnicode_DATA(string);
    if (length > PY_SSIZE_T_MAX / 12)
        return -1;
    for (Py_ssize_t i = 0; i < length; i++) {
        Py_UCS4 c = PyUnicode_READ(kind, data, i);
        if (c < 0x80)
            found += UNRESERVED[c] ? 1 : 3;
        else if (c >= 0xd800 && c <= 0xdfff)
            return -1;
        else
            found += c < 0x800 ? 6 : c < 0x10000 ? 9 : 12;
    }
    return found;
}

/* Write a string percent-encoded in UTF-8 (URL §1.3), and return where its end is. */
static inline Py_ssize_t encode(PyObject *string, int kind, void *to, Py_ssize_t at)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(string);
    int from_kind = PyUnicode_KIND(string);
    const void *from = PyUnicode_DATA(string);
    for (Py_ssize_t i = 0; i < length; i++) {
        Py_UCS4 c = PyUnicode_READ(from_kind, from, i);
        unsigned char bytes[4];
        int count = 0;
        if (c < 0x80) {
            if (UNRESERVED[c]) {
                PyUnicode_WRITE(kind, to, at, c);
                at++;
                continue;
            }
            bytes[count++] = (unsigned char)c;
        }
        else {
            if (c < 0x800)
                bytes[count++] = (unsigned char)(0xc0 | c >> 6);
            else {
                if (c < 0x10000)
                    bytes[count++] = (unsigned char)(0xe0 | c >> 12);
                else {
                    bytes[count++] = (unsigned char)(0xf0 | c >> 18);
                    bytes[count++] = (unsigned char)(0x80 | (c >> 12 & 0x3f));
                }
                bytes[count++] = (unsigned char)(0x80 | (c >> 6 & 0x3f));
            }
            bytes[count++] = (unsigned char)(0x80 | (c & 0x3f));
        }
        for (int each = 0; each < count; each++, at += 3) {
            Py_UCS1 octet[3];
            put_octet(octet, bytes[each]);
            copy(octet, PyUnicode_1BYTE_KIND, 3, kind, to, at);
        }
    }
    return at;
}

/* Write a value that was looked at, and return where its end is. */
static inline Py_ssize_t write_piece(const Piece *piece, int kind, void *to, Py_ssize_t at)
{
    if (piece->text == NULL)
        return copy(piece->number, PyUnicode_1BYTE_KIND, piece->length, kind, to, at);
    if (piece->way == COPIED)
        return copy_text(piece->text, kind, to, at);
    if (piece->way == ESCAPED)
        return escape(piece->text, piece->more, kind, to, at);
    return encode(piece->text, kind, to, at);
}

static inline void write_all(const Join *join, const Piece *pieces, int kind, void *to, Py_ssize_t at)
{
    for (int i = 0; i < join->count; i++) {
        at = copy_text(PyTuple_GET_ITEM(join->texts, i), kind, to, at);
        at = write_piece(pieces + i, kind, to, at);
    }
    copy_text(PyTuple_GET_ITEM(join->texts, join->count), kind, to, at);
}

/* --- looking at the values --------------------------------------------------------------------------------------------- */

static inline int is_url_part(int which) { return which == PERCENT || which == SEGMENT_URL || which == URL_SEGMENT; }

/* Find out how a text is written: 1, or 0 when Python has to look at it. */
static inline int look_at_text(PyObject *text, int which, Piece *piece)
{
    piece->text = text;
    if (is_url_part(which)) {
        if (which != PERCENT && is_dot_segment(text))
            return 0;
        piece->length = encoded_length(text);
        piece->way = ENCODED;
        return piece->length >= 0;
    }
    piece->more = MORE[which];
    Py_ssize_t extra = growth(text, piece->more);
    if (extra < 0 || extra > PY_SSIZE_T_MAX - PyUnicode_GET_LENGTH(text))
        return 0;
    piece->way = extra ? ESCAPED : COPIED;
    piece->length = PyUnicode_GET_LENGTH(text) + extra;
    return 1;
}

/* What a letter of a join asks for; SLOW for what is printed already. */
static inline int escaping_of(char kind)
{
    switch (kind) {
    case 't': return TEXT;
    case 'a': return ATTRIBUTE;
    case 'r': return RCDATA;
    case 'p': return PERCENT;
    case 's': return SEGMENT_URL;
    case 'g': return URL_SEGMENT;
    default: return SLOW;
    }
}

/* Find out how a value is written without running any code of it: 1, or 0 when it is for Python to say. */
static inline int look_at(PyObject *value, int which, Piece *piece)
{
    piece->owned = NULL;
    piece->whole = 0;
    if (which == SLOW) {
        piece->text = value;
        piece->way = COPIED;
        piece->length = is_text(value) ? PyUnicode_GET_LENGTH(value) : 0;
        return is_text(value);
    }
    if (is_text(value) && look_at_text(value, which, piece))
        return 1;
    int is_url = is_url_part(which);
    piece->text = NULL;
    piece->length = PyLong_CheckExact(value)               ? int_digits(value, piece->number)
                    : !is_url && PyFloat_CheckExact(value) ? float_digits(value, piece->number)
                                                           : 0;
    return piece->length || (!is_url && value == Py_None);
}

/* Write values at the end of a page: -1, or the number of the one that there was an exception at. When a function has
   reported something about one, tell(whom, its number) is called, which returns 0, or -1 with an exception. */
int write_values(Page *page, const Join *join, PyObject *const *values, int (*tell)(void *, int), void *whom);

/* Write all values quickly to the end of a page: 1; 0 when that cannot be done, and nothing has been. */
static inline int write_quickly_to(Page *page, const Join *join, PyObject *const *values)
{
    if (page->kind != PyUnicode_1BYTE_KIND || join->widest > page->widest)
        return 0;
    Py_UCS1 *start = page->data;
    Py_UCS1 *end = write_quickly(join, values, start + page->length, start + page->room);
    if (end == NULL)
        return 0;
    page->length = end - start;
    return 1;
}

/* Make a join of its texts, letters and edges: 0, or -1 with an exception. */
int make_join(Join *join, State *state, PyObject *parts);
void free_join(Join *join);

#endif
