/* What the files of the extension share: the module's state, the tables of characters, and the test of a text.

   Each function has one of the same name in Python, which says what it does. In C are the values that are most common;
   all others, and all that could go wrong, are given to the one in Python: text that HTML forbids, subclasses of str,
   numbers that are none of the two exact kinds, and everything else. So there is one meaning, in one place. */

#ifndef UNTOR_SPEED_H
#define UNTOR_SPEED_H

#define PY_SSIZE_T_CLEAN
#include <Python.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

#if defined(_MSC_VER)
#define THREAD_LOCAL __declspec(thread)
#else
#define THREAD_LOCAL _Thread_local
#endif

#if PY_VERSION_HEX < 0x030C0000
/* These two are in Python's own headers from 3.12 on. */
static inline PyObject *PyErr_GetRaisedException(void)
{
    PyObject *type, *error, *trace;
    PyErr_Fetch(&type, &error, &trace);
    PyErr_NormalizeException(&type, &error, &trace);
    if (trace != NULL)
        PyException_SetTraceback(error, trace);
    Py_XDECREF(type);
    Py_XDECREF(trace);
    return error;
}

static inline void PyErr_SetRaisedException(PyObject *error)
{
    PyErr_Restore(Py_NewRef(Py_TYPE(error)), error, PyException_GetTraceback(error));
}
#endif

enum { TEXT, ATTRIBUTE, RCDATA, PERCENT, SEGMENT_URL, SCRIPT_STRING, JSON_STRING, DOT, QUOTED, TRUTH, EACH,
       PAIRS, ITEM, PRINTED, URL_SEGMENT, NOT_THERE, ONLY_DATA, COLLECTED, COMPARED, IS_ABSENT, REPORTED, COMPUTED, SLOW };

typedef struct {
    PyObject *slow[SLOW];  /* the functions in Python */
    PyObject *direct;      /* the set of types whose dots are attributes */
    PyObject *items;       /* that of types whose dots are items */
    PyObject *both;        /* that of types whose dots are attributes, or else items */
    PyObject *rows;        /* that of types whose dots are items, or else attributes */
    PyObject *plain;       /* the set of types whose values are never absent, and are tested and compared as Python has it */
    PyObject *reports;     /* a list of what functions have to say of the data of pages, which is still to be logged */
    PyObject *missing;     /* the value of what is not there */
    PyObject *deferred;    /* the type of values that are computed when they are read */
    PyTypeObject *program; /* the types of program.c and run.c */
    PyTypeObject *run;
} State;

/* --- the tables of tables.c --- */

#define LONGEST_ESCAPE 6
/* What a character becomes longer by in text, in attributes and in RCDATA; FORBIDDEN is left to Python. */
#define FORBIDDEN 255
extern unsigned char MORE[3][256];
extern char REFERENCES[256][8];
/* What stays as it is where all else is percent-encoded. */
extern unsigned char UNRESERVED[128];
/* How the characters of ASCII are written in each kind of string: as they are where there is nothing. */
enum { IN_QUOTES, IN_SCRIPT_STRING, IN_JSON_STRING };
extern char ESCAPES[3][128][8];
/* Let nothing be written as it is. */
void empty_tables(void);
/* Ask a function in Python for what it makes of each character. Return -1 with an exception where that is not understood. */
int fill_table(int which, PyObject *function, int all);
/* Do so for characters that are not printable too, when text goes to Python for the first time: the function in Python loads
   more for these. */
int complete_table(int which, PyObject *function);

/* Whether a value is an exact str whose characters can be looked at. */
static inline int is_text(PyObject *value)
{
    if (!PyUnicode_CheckExact(value))
        return 0;
#if PY_VERSION_HEX < 0x030C0000
    if (PyUnicode_READY(value) < 0) {
        PyErr_Clear();
        return 0;
    }
#endif
    return 1;
}

/* Whether eight bytes have one in them that is a control, not ASCII, or one of & ' < > ": exact for any of them. */
static inline int is_suspicious(uint64_t word)
{
    const uint64_t ones = 0x0101010101010101u, high = 0x8080808080808080u;
    uint64_t low, reference, angle, quote, delete;
    low = word - 0x20 * ones;
    reference = ((word | ones) ^ (0x27 * ones)) - ones; /* & and ' differ in one bit */
    angle = ((word | 2 * ones) ^ (0x3e * ones)) - ones; /* so do < and > */
    quote = (word ^ (0x22 * ones)) - ones;
    delete = (word ^ (0x7f * ones)) - ones;
    /* Where a byte is ASCII, the subtraction sets its high bit only by going below zero. */
    return ((word | ((low | reference | angle | quote | delete) & ~word)) & high) != 0;
}

static inline uint64_t eight_bytes(const Py_UCS1 *chars)
{
    uint64_t word;
    memcpy(&word, chars, 8);
    return word;
}

/* Eight bytes with all of fewer in them, some of them twice. */
static inline uint64_t few_bytes(const Py_UCS1 *chars, Py_ssize_t length)
{
    if (length >= 4) {
        uint32_t first, last;
        memcpy(&first, chars, 4);
        memcpy(&last, chars + length - 4, 4);
        return (uint64_t)first << 32 | last;
    }
    return 0x6161616161000000u | (uint64_t)chars[0] << 16 | (uint64_t)chars[length / 2] << 8 | chars[length - 1];
}

/* Whether text of one byte a character has nothing in it that is escaped or forbidden, by a glance; else look closer. */
static inline int is_clean(const Py_UCS1 *chars, Py_ssize_t length)
{
    if (length < 8)
        return length == 0 || !is_suspicious(few_bytes(chars, length));
    for (Py_ssize_t i = 0; i + 8 <= length; i += 8)
        if (is_suspicious(eight_bytes(chars + i)))
            return 0;
    return !is_suspicious(eight_bytes(chars + length - 8));
}

/* How much longer a string is when it is escaped; -1 when it has something in it that is forbidden. */
static inline Py_ssize_t growth(PyObject *string, const unsigned char *more)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(string), extra = 0;
    const void *data = PyUnicode_DATA(string);
    int kind = PyUnicode_KIND(string);
    if (kind == PyUnicode_1BYTE_KIND) {
        const Py_UCS1 *chars = data;
        if (is_clean(chars, length))
            return 0;
        for (Py_ssize_t i = 0; i < length; i++) {
            unsigned char step = more[chars[i]];
            if (step == FORBIDDEN)
                return -1;
            extra += step;
        }
        return extra;
    }
    for (Py_ssize_t i = 0; i < length; i++) {
        Py_UCS4 c = PyUnicode_READ(kind, data, i);
        if (c < 256) {
            unsigned char step = more[c];
            if (step == FORBIDDEN)
                return -1;
            extra += step;
        }
        else if (c >= 0xd800 && c <= 0xdfff)
            return -1;
    }
    return extra;
}

/* Escape for the inside of a string, and write plain data; see json.c. */
PyObject *inside_string(PyObject *string, int way);
PyObject *plain_data(PyObject *module, PyObject *const *arguments, Py_ssize_t count);

/* Add the types of program.c and run.c to the module's state. */
int add_programs(PyObject *module, State *state);
/* Return a new program; see program.c. */
PyObject *new_program(PyObject *module, State *state, PyObject *arguments);

#endif
