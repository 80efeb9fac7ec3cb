/* How values are written into a page, for joins and for loops: what one of them is looked at for, and how long it becomes,
   before any is written. */

#ifndef UNTOR_WRITING_H
#define UNTOR_WRITING_H

#include "ascii.h"

#define MOST_VALUES 64

typedef struct {
    PyObject_HEAD
    PyObject *buffer;     /* a str that nobody else has seen */
    Py_ssize_t length;    /* how much of it is written */
} Page;

/* How a value is written: as it is, escaped for markup, or percent-encoded. */
enum { COPIED, ESCAPED, ENCODED };

typedef struct {
    PyObject *text;       /* what is written; NULL where it is a number */
    PyObject *owned;      /* what is to be released afterwards */
    Py_ssize_t length;    /* how long it becomes */
    const unsigned char *more;
    unsigned char way;
    char number[LONGEST_NUMBER];
} Piece;

/* --- writing -------------------------------------------------------------------------------------------------------- */

#define COPY_TO(TYPE)                                                                  \
    do {                                                                               \
        TYPE *target = (TYPE *)to + at;                                                \
        if (from_kind == PyUnicode_1BYTE_KIND)                                         \
            for (Py_ssize_t i = 0; i < length; i++)                                    \
                target[i] = ((const Py_UCS1 *)from)[i];                                \
        else                                                                           \
            for (Py_ssize_t i = 0; i < length; i++)                                    \
                target[i] = (TYPE)((const Py_UCS2 *)from)[i];                          \
    } while (0)

/* Copy characters into a text that is at least as wide, and return where their end is. */
static inline Py_ssize_t copy(const void *from, int from_kind, Py_ssize_t length, int kind, void *to, Py_ssize_t at)
{
    if (from_kind == kind)
        copy_bytes((char *)to + at * kind, from, length * kind);
    else if (kind == PyUnicode_2BYTE_KIND)
        COPY_TO(Py_UCS2);
    else
        COPY_TO(Py_UCS4);
    return at + length;
}

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

static inline void write_all(const Join *self, const Piece *pieces, int kind, void *to, Py_ssize_t at)
{
    Py_ssize_t count = Py_SIZE(self);
    for (Py_ssize_t i = 0; i < count; i++) {
        const Piece *piece = pieces + i;
        at = copy_text(PyTuple_GET_ITEM(self->texts, i), kind, to, at);
        if (piece->text == NULL)
            at = copy(piece->number, PyUnicode_1BYTE_KIND, piece->length, kind, to, at);
        else if (piece->way == COPIED)
            at = copy_text(piece->text, kind, to, at);
        else if (piece->way == ESCAPED)
            at = escape(piece->text, piece->more, kind, to, at);
        else
            at = encode(piece->text, kind, to, at);
    }
    copy_text(PyTuple_GET_ITEM(self->texts, count), kind, to, at);
}

/* --- looking at the values --------------------------------------------------------------------------------------------- */

/* Find out how a text is written: 1, or 0 when Python has to look at it. */
static inline int look_at_text(PyObject *text, int which, Piece *piece)
{
    piece->text = text;
    if (which == PERCENT || which == SEGMENT_URL) {
        if (which == SEGMENT_URL && is_dot_segment(text))
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

/* What an exception means to what is done in C: 0, Python does the same and finds it again, to tell its place; -1, it is
   nobody's to handle, or has been told of its place. Were that done again at each level of pages in pages, it would be done
   twice as often at each. */
int left_to_python(State *state);

enum { LEFT, KNOWN, ASKED };

/* What a letter of a join asks for; SLOW for what is printed already. */
static inline int escaping_of(char kind)
{
    switch (kind) {
    case 't': return TEXT;
    case 'a': return ATTRIBUTE;
    case 'r': return RCDATA;
    case 'p': return PERCENT;
    case 's': return SEGMENT_URL;
    default: return SLOW;
    }
}

/* Find out how a value is written without running any code of it: KNOWN; LEFT when the caller has to do it; ASKED when it
   is for Python to say. */
static inline int look_at(State *state, PyObject *value, int which, Piece *piece)
{
    piece->owned = NULL;
    if (which == SLOW) {
        piece->text = value;
        piece->way = COPIED;
        piece->length = is_text(value) ? PyUnicode_GET_LENGTH(value) : 0;
        return is_text(value) ? KNOWN : LEFT;
    }
    if (is_text(value) && look_at_text(value, which, piece))
        return KNOWN;
    int is_url = which == PERCENT || which == SEGMENT_URL;
    piece->text = NULL;
    piece->length = PyLong_CheckExact(value)             ? int_digits(value, piece->number)
                    : !is_url && PyFloat_CheckExact(value) ? float_digits(value, piece->number)
                                                           : 0;
    if (piece->length || (!is_url && value == Py_None))
        return KNOWN;
    return value == state->missing || (which == SEGMENT_URL && PyUnicode_CheckExact(value)) ? LEFT : ASKED;
}

/* Ask Python what is written for a value: 1; 0 when the caller has to do it; -1 with an exception. */
static inline int ask_for(State *state, PyObject *value, int which, Piece *piece)
{
    PyObject *slow = state->slow[which == SEGMENT_URL ? PERCENT : which];
    if (slow != NULL && is_text(value) && complete_table(which, slow) < 0)
        return -1;
    PyObject *printed = slow == NULL ? NULL : PyObject_CallOneArg(slow, value);
    if (printed == NULL)
        return left_to_python(state);
    piece->owned = printed;
    if (!is_text(printed))
        return 0;
    piece->text = printed;
    piece->way = COPIED;
    piece->length = PyUnicode_GET_LENGTH(printed);
    return which != SEGMENT_URL || !is_dot_segment(printed);
}

/* --- pages ---------------------------------------------------------------------------------------------------------------- */

/* How long a chunk is, at least; a page has room for one from the start, and for what may come before it is seen. */
#define SHORTEST_CHUNK 16000
#define LEAST_ROOM 24000

/* The greatest character that a page has room for. */
static inline Py_UCS4 widest_of(const Page *page)
{
    return page->buffer == NULL ? 0 : PyUnicode_MAX_CHAR_VALUE(page->buffer);
}

/* Make room for more text, none of whose characters is greater than the widest. */
static inline int make_room(Page *page, Py_ssize_t more, Py_UCS4 widest)
{
    Py_ssize_t room = page->buffer == NULL ? 0 : PyUnicode_GET_LENGTH(page->buffer);
    Py_UCS4 before = widest_of(page);
    if (more <= room - page->length && widest <= before)
        return 0;
    if (more > PY_SSIZE_T_MAX - page->length) {
        PyErr_NoMemory();
        return -1;
    }
    if (more > room - page->length) {
        Py_ssize_t least = page->length + more;
        room = least <= PY_SSIZE_T_MAX / 3 ? least + least / 2 : least;
        if (room < LEAST_ROOM)
            room = LEAST_ROOM;
    }
    if (page->buffer != NULL && widest <= before)
        return PyUnicode_Resize(&page->buffer, room);
    PyObject *buffer = PyUnicode_New(room, widest > before ? widest : before);
    if (buffer == NULL)
        return -1;
    if (page->buffer != NULL)
        copy(PyUnicode_DATA(page->buffer), PyUnicode_KIND(page->buffer), page->length, PyUnicode_KIND(buffer),
             PyUnicode_DATA(buffer), 0);
    Py_XSETREF(page->buffer, buffer);
    return 0;
}

/* --- all values of a join ------------------------------------------------------------------------------------------ */

/* Write all values quickly to the end of a page: 1; 0 when that cannot be done, and nothing has been. */
static inline int write_quickly_to(Page *page, const Join *join, PyObject *const *values)
{
    if (page->buffer == NULL || PyUnicode_KIND(page->buffer) != PyUnicode_1BYTE_KIND || join->widest > widest_of(page))
        return 0;
    Py_UCS1 *start = PyUnicode_1BYTE_DATA(page->buffer);
    Py_UCS1 *end = write_quickly(join, values, start + page->length, start + PyUnicode_GET_LENGTH(page->buffer));
    if (end == NULL)
        return 0;
    page->length = end - start;
    return 1;
}

/* Find out how all values are written: 1; 0 when the caller has to do it; -1 with an exception; the caller releases what
   has been seen. Code of values is run last, and that of text after that of URLs: what may be done again, when something
   here cannot be done, should be as little as possible. */
static inline int look_at_all(const Join *join, PyObject *const *values, Piece *pieces, Py_ssize_t *seen, Py_ssize_t *length,
                              Py_UCS4 *widest)
{
    Py_ssize_t count = Py_SIZE(join), asked = 0;
    unsigned char outcomes[MOST_VALUES];
    *length = join->length;
    *widest = join->widest;
    for (*seen = 0; *seen < count; ++*seen) {
        outcomes[*seen] = (unsigned char)look_at(join->state, values[*seen], escaping_of(join->kinds[*seen]), pieces + *seen);
        if (outcomes[*seen] == LEFT)
            return 0;
        asked += outcomes[*seen] == ASKED;
    }
    for (int urls = 1; asked && urls >= 0; urls--)
        for (Py_ssize_t i = 0; i < count; i++) {
            int which = escaping_of(join->kinds[i]), is_url = which == PERCENT || which == SEGMENT_URL;
            if (outcomes[i] != ASKED || is_url != urls)
                continue;
            int fine = ask_for(join->state, values[i], which, pieces + i);
            if (fine <= 0)
                return fine;
        }
    for (Py_ssize_t i = 0; i < count; i++) {
        const Piece *piece = pieces + i;
        if (piece->length > PY_SSIZE_T_MAX - *length)
            return 0;
        *length += piece->length;
        if (piece->text != NULL && piece->way != ENCODED && PyUnicode_MAX_CHAR_VALUE(piece->text) > *widest)
            *widest = PyUnicode_MAX_CHAR_VALUE(piece->text);
    }
    return 1;
}

static inline void release_all(Piece *pieces, Py_ssize_t seen)
{
    for (Py_ssize_t i = 0; i < seen; i++)
        Py_XDECREF(pieces[i].owned);
}

/* Write what was looked at to the end of a page: 1, or -1 with an exception. */
static inline int write_to(Page *page, const Join *join, const Piece *pieces, Py_ssize_t length, Py_UCS4 widest)
{
    if (length == 0)
        return 1;
    if (make_room(page, length, widest) < 0)
        return -1;
    write_all(join, pieces, PyUnicode_KIND(page->buffer), PyUnicode_DATA(page->buffer), page->length);
    page->length += length;
    return 1;
}

/* The page that a function is the write of; NULL for any other callable. */
Page *page_of(PyObject *write);
/* Cut off what was written to a page after it had some length, and room for characters of some width; -1 without memory. */
int page_cut(Page *page, Py_ssize_t length, Py_UCS4 widest);
/* Return a new join; what calls it is made of that in join.c. */
Join *make_join(PyObject *module, State *state, PyObject *texts, PyObject *kinds);

#endif
