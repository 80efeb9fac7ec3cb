/* Fixed text and values, escaped and put together in one go.

   A join is made of the texts of a run and of how each value between them is escaped. Called with the write of a page
   and the values it writes them there; with any other callable, calls that with the text; with None, returns it. It
   first looks at all values and writes nothing before it knows that it can write everything: for a value that it cannot print, as for one that is
   missing, it returns None, and the caller does the same in Python, which says what is wrong and where.

   A page is a text that grows.

   What is called for each run is a built-in function with a page or a join as its self: for these the interpreter has the
   fastest way to call. */

#include "_speed.h"

#define MOST_VALUES 64
#define LONGEST_NUMBER 32

typedef struct {
    PyObject_VAR_HEAD
    State *state;
    PyObject *module;     /* which the state is that of */
    PyObject *texts;      /* a tuple of str, one more than there are values */
    Py_ssize_t length;    /* of all of them */
    Py_UCS4 widest;       /* no character of theirs is greater */
    char kinds[];         /* how each value is escaped */
} Join;

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

/* --- numbers and percent-encoding --------------------------------------------------------------------------------- */

/* Write the digits of an exact int; 0 when it is too large for that. */
static int int_digits(PyObject *value, Piece *piece)
{
    int overflow;
    long long number = PyLong_AsLongLongAndOverflow(value, &overflow);
    if (overflow || (number == -1 && PyErr_Occurred())) {
        PyErr_Clear();
        return 0;
    }
    unsigned long long rest = number < 0 ? 0ULL - (unsigned long long)number : (unsigned long long)number;
    char digits[LONGEST_NUMBER];
    int at = LONGEST_NUMBER;
    do {
        digits[--at] = (char)('0' + rest % 10);
        rest /= 10;
    } while (rest);
    if (number < 0)
        digits[--at] = '-';
    piece->length = LONGEST_NUMBER - at;
    memcpy(piece->number, digits + at, (size_t)piece->length);
    return 1;
}

/* Write an exact float as repr() does; 0 when that fails. */
static int float_digits(PyObject *value, Piece *piece)
{
    char *digits = PyOS_double_to_string(PyFloat_AS_DOUBLE(value), 'r', 0, Py_DTSF_ADD_DOT_0, NULL);
    if (digits == NULL) {
        PyErr_Clear();
        return 0;
    }
    size_t length = strlen(digits);
    int fits = length < LONGEST_NUMBER;
    if (fits) {
        memcpy(piece->number, digits, length);
        piece->length = (Py_ssize_t)length;
    }
    PyMem_Free(digits);
    return fits;
}

/* How long a string is when it is percent-encoded; -1 when it has a surrogate in it. */
static Py_ssize_t encoded_length(PyObject *string)
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
static Py_ssize_t encode(PyObject *string, int kind, void *to, Py_ssize_t at)
{
    static const char HEX[] = "0123456789ABCDEF";
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
            PyUnicode_WRITE(kind, to, at, '%');
            PyUnicode_WRITE(kind, to, at + 1, (Py_UCS4)HEX[bytes[each] >> 4]);
            PyUnicode_WRITE(kind, to, at + 2, (Py_UCS4)HEX[bytes[each] & 15]);
        }
    }
    return at;
}

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
        memcpy((char *)to + at * kind, from, (size_t)(length * kind));
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

static Py_ssize_t escape(PyObject *text, const unsigned char *more, int kind, void *to, Py_ssize_t at)
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

static void write_all(Join *self, const Piece *pieces, int kind, void *to, Py_ssize_t at)
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
static int look_at_text(PyObject *text, int which, Piece *piece)
{
    piece->text = text;
    if (which == PERCENT || which == SEGMENT_URL) {
        Py_ssize_t length = PyUnicode_GET_LENGTH(text);
        /* A segment of dots only may lead elsewhere. */
        if (which == SEGMENT_URL && length > 0 && length <= 2 && PyUnicode_READ_CHAR(text, 0) == '.'
            && PyUnicode_READ_CHAR(text, length - 1) == '.')
            return 0;
        piece->length = encoded_length(text);
        piece->way = ENCODED;
        return piece->length >= 0;
    }
    piece->more = MORE[which == ATTRIBUTE];
    Py_ssize_t extra = growth(text, piece->more);
    if (extra < 0 || extra > PY_SSIZE_T_MAX - PyUnicode_GET_LENGTH(text))
        return 0;
    piece->way = extra ? ESCAPED : COPIED;
    piece->length = PyUnicode_GET_LENGTH(text) + extra;
    return 1;
}

/* Find out how a value is written: 1; 0 when the caller has to do it; -1 with an exception that is nobody's to handle. */
static int look_at(State *state, PyObject *value, char kind, Piece *piece)
{
    int which;
    switch (kind) {
    case 't': which = TEXT; break;
    case 'a': which = ATTRIBUTE; break;
    case 'r': which = RCDATA; break;
    case 'p': which = PERCENT; break;
    case 's': which = SEGMENT_URL; break;
    default: /* printed already */
        if (!is_text(value))
            return 0;
        piece->text = value;
        piece->way = COPIED;
        piece->length = PyUnicode_GET_LENGTH(value);
        return 1;
    }
    if (is_text(value) && look_at_text(value, which, piece))
        return 1;
    int is_url = which == PERCENT || which == SEGMENT_URL;
    piece->text = NULL;
    if (PyLong_CheckExact(value) && int_digits(value, piece))
        return 1;
    if (!is_url && PyFloat_CheckExact(value) && float_digits(value, piece))
        return 1;
    if (!is_url && value == Py_None) {
        piece->length = 0;
        return 1;
    }
    if (value == state->missing || (which == SEGMENT_URL && PyUnicode_CheckExact(value)))
        return 0;
    PyObject *slow = state->slow[which == SEGMENT_URL ? PERCENT : which];
    PyObject *printed = slow == NULL ? NULL : PyObject_CallOneArg(slow, value);
    if (printed == NULL) {
        /* What is wrong with it, the caller finds out by doing it again. */
        if (PyErr_Occurred() && !PyErr_ExceptionMatches(PyExc_Exception))
            return -1;
        PyErr_Clear();
        return 0;
    }
    piece->owned = printed;
    if (!is_text(printed))
        return 0;
    piece->text = printed;
    piece->way = COPIED;
    piece->length = PyUnicode_GET_LENGTH(printed);
    return which != SEGMENT_URL || piece->length > 2 || piece->length == 0 || PyUnicode_READ_CHAR(printed, 0) != '.';
}

/* --- pages ---------------------------------------------------------------------------------------------------------------- */

#define SHORTEST_PAGE 4000

/* Make room for more text, none of whose characters is greater than the widest. */
static int make_room(Page *page, Py_ssize_t more, Py_UCS4 widest)
{
    Py_ssize_t room = page->buffer == NULL ? 0 : PyUnicode_GET_LENGTH(page->buffer);
    Py_UCS4 before = page->buffer == NULL ? 0 : PyUnicode_MAX_CHAR_VALUE(page->buffer);
    if (more <= room - page->length && widest <= before)
        return 0;
    if (more > PY_SSIZE_T_MAX - page->length) {
        PyErr_NoMemory();
        return -1;
    }
    if (more > room - page->length) {
        Py_ssize_t least = page->length + more;
        room = least <= PY_SSIZE_T_MAX / 3 ? least + least / 2 : least;
        if (room < SHORTEST_PAGE)
            room = SHORTEST_PAGE;
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

static PyObject *page_write(Page *self, PyObject *text)
{
    if (!PyUnicode_Check(text)) {
        PyErr_SetString(PyExc_TypeError, "a page takes text");
        return NULL;
    }
#if PY_VERSION_HEX < 0x030C0000
    if (PyUnicode_READY(text) < 0)
        return NULL;
#endif
    Py_ssize_t length = PyUnicode_GET_LENGTH(text);
    if (length) {
        if (make_room(self, length, PyUnicode_MAX_CHAR_VALUE(text)) < 0)
            return NULL;
        self->length = copy_text(text, PyUnicode_KIND(self->buffer), PyUnicode_DATA(self->buffer), self->length);
    }
    Py_RETURN_NONE;
}

static PyObject *page_finish(Page *self, PyObject *ignored)
{
    (void)ignored;
    PyObject *buffer = self->buffer;
    if (buffer == NULL)
        return PyUnicode_New(0, 0);
    self->buffer = NULL;
    if (PyUnicode_Resize(&buffer, self->length) < 0)
        Py_CLEAR(buffer);
    self->length = 0;
    return buffer;
}

/* As page_finish, when there is enough for a chunk; else None. */
static PyObject *page_chunk(Page *self, PyObject *ignored)
{
    if (self->length < SHORTEST_PAGE)
        Py_RETURN_NONE;
    return page_finish(self, ignored);
}

static void page_free(Page *self)
{
    PyTypeObject *type = Py_TYPE(self);
    Py_XDECREF(self->buffer);
    PyObject_Free(self);
    Py_DECREF(type);
}

/* --- joins ---------------------------------------------------------------------------------------------------------------- */

/* The page that a function is the write of; NULL for any other callable. */
static inline Page *page_of(PyObject *write)
{
    if (PyCFunction_CheckExact(write) && PyCFunction_GET_FUNCTION(write) == (PyCFunction)page_write)
        return (Page *)PyCFunction_GET_SELF(write);
    return NULL;
}

static PyObject *join_call(Join *self, PyObject *const *arguments, Py_ssize_t given)
{
    Py_ssize_t count = Py_SIZE(self);
    State *state = self->state;
    if (given != count + 1) {
        PyErr_Format(PyExc_TypeError, "this takes a page and %zd values", count);
        return NULL;
    }
    Piece pieces[MOST_VALUES];
    Py_ssize_t length = self->length, seen = 0;
    Py_UCS4 widest = self->widest;
    int fine = 1, owned = 0;
    PyObject *result = NULL;
    Page *page;
    for (; seen < count && fine > 0; seen++) {
        Piece *piece = pieces + seen;
        piece->owned = NULL;
        fine = look_at(state, arguments[seen + 1], self->kinds[seen], piece);
        owned |= piece->owned != NULL;
        if (fine > 0) {
            if (piece->length > PY_SSIZE_T_MAX - length)
                fine = 0;
            length += fine ? piece->length : 0;
            if (piece->text != NULL && piece->way != ENCODED && PyUnicode_MAX_CHAR_VALUE(piece->text) > widest)
                widest = PyUnicode_MAX_CHAR_VALUE(piece->text);
        }
    }
    if (fine == 0)
        result = Py_NewRef(Py_None);
    else if (fine > 0 && (page = page_of(arguments[0])) != NULL) {
        if (length == 0 || make_room(page, length, widest) == 0) {
            if (length)
                write_all(self, pieces, PyUnicode_KIND(page->buffer), PyUnicode_DATA(page->buffer), page->length);
            page->length += length;
            result = Py_NewRef(Py_True);
        }
    }
    else if (fine > 0 && (result = PyUnicode_New(length, widest)) != NULL) {
        if (length)
            write_all(self, pieces, PyUnicode_KIND(result), PyUnicode_DATA(result), 0);
        if (arguments[0] != Py_None) {
            PyObject *done = PyObject_CallOneArg(arguments[0], result);
            Py_SETREF(result, done == NULL ? NULL : Py_NewRef(Py_True));
            Py_XDECREF(done);
        }
    }
    if (owned)
        for (Py_ssize_t i = 0; i < seen; i++)
            Py_XDECREF(pieces[i].owned);
    return result;
}

static void join_free(Join *self)
{
    PyTypeObject *type = Py_TYPE(self);
    Py_XDECREF(self->texts);
    Py_XDECREF(self->module);
    PyObject_Free(self);
    Py_DECREF(type);
}

static PyMethodDef JOIN_CALL = {
    "join", (PyCFunction)(void (*)(void))join_call, METH_FASTCALL, "Write values between texts.",
};

PyObject *new_join(PyObject *module, State *state, PyObject *texts, PyObject *kinds)
{
    Py_ssize_t count = PyBytes_GET_SIZE(kinds);
    if (count > MOST_VALUES || PyTuple_GET_SIZE(texts) != count + 1) {
        PyErr_Format(PyExc_ValueError, "there are at most %d values, with texts around them", MOST_VALUES);
        return NULL;
    }
    Join *self = PyObject_NewVar(Join, state->join, count);
    if (self == NULL)
        return NULL;
    self->state = state;
    self->module = Py_NewRef(module);
    self->texts = Py_NewRef(texts);
    self->length = 0;
    self->widest = 0;
    memcpy(self->kinds, PyBytes_AS_STRING(kinds), (size_t)count);
    for (Py_ssize_t i = 0; i <= count; i++) {
        PyObject *text = PyTuple_GET_ITEM(texts, i);
        if (!is_text(text) || PyUnicode_GET_LENGTH(text) > PY_SSIZE_T_MAX - self->length) {
            PyErr_SetString(PyExc_TypeError, "the texts are str");
            Py_DECREF(self);
            return NULL;
        }
        self->length += PyUnicode_GET_LENGTH(text);
        if (PyUnicode_GET_LENGTH(text) && PyUnicode_MAX_CHAR_VALUE(text) > self->widest)
            self->widest = PyUnicode_MAX_CHAR_VALUE(text);
    }
    PyObject *function = PyCFunction_New(&JOIN_CALL, (PyObject *)self);
    Py_DECREF(self);
    return function;
}

PyObject *new_page(State *state)
{
    Page *self = PyObject_New(Page, state->page);
    if (self == NULL)
        return NULL;
    self->buffer = NULL;
    self->length = 0;
    return (PyObject *)self;
}

static PyType_Slot JOIN_SLOTS[] = {
    {Py_tp_dealloc, join_free},
    {0, NULL},
};
static PyType_Spec JOIN_SPEC = {
    "untor.escape._speed.Join", (int)offsetof(Join, kinds), 1,
    Py_TPFLAGS_DEFAULT | Py_TPFLAGS_DISALLOW_INSTANTIATION | Py_TPFLAGS_IMMUTABLETYPE,
    JOIN_SLOTS,
};

static PyMethodDef PAGE_METHODS[] = {
    {"chunk", (PyCFunction)page_chunk, METH_NOARGS, "Return what was written, when it is a few kilobytes, else None."},
    {"finish", (PyCFunction)page_finish, METH_NOARGS, "Return what was written; the page is empty afterwards."},
    {"write", (PyCFunction)page_write, METH_O, "Append a text."},
    {NULL, NULL, 0, NULL},
};
static PyType_Slot PAGE_SLOTS[] = {
    {Py_tp_dealloc, page_free},
    {Py_tp_methods, PAGE_METHODS},
    {0, NULL},
};
static PyType_Spec PAGE_SPEC = {
    "untor.escape._speed.Page", sizeof(Page), 0,
    Py_TPFLAGS_DEFAULT | Py_TPFLAGS_DISALLOW_INSTANTIATION | Py_TPFLAGS_IMMUTABLETYPE,
    PAGE_SLOTS,
};

int add_joins(PyObject *module, State *state)
{
    state->join = (PyTypeObject *)PyType_FromModuleAndSpec(module, &JOIN_SPEC, NULL);
    if (state->join == NULL)
        return -1;
    state->page = (PyTypeObject *)PyType_FromModuleAndSpec(module, &PAGE_SPEC, NULL);
    return state->page == NULL ? -1 : 0;
}
