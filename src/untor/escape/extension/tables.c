/* The tables of characters, filled from the functions in Python when these are installed: each rule is written once.

   Until then everything is escaped, or left to Python. */

#include "module.h"

unsigned char MORE[3][256];
char REFERENCES[256][8];
unsigned char UNRESERVED[128];
char ESCAPES[3][128][8];

/* Whether the tables of markup have the characters that are not printable too. */
static unsigned char COMPLETE[3];

static int is_markup(int which) { return which == TEXT || which == ATTRIBUTE || which == RCDATA; }

int complete_table(int which, PyObject *function) { return is_markup(which) && !COMPLETE[which] ? fill_table(which, function, 1) : 0; }

void empty_tables(void)
{
    /* Interpreters share the tables: another one has filled them already. */
    static int is_done;
    if (is_done)
        return;
    is_done = 1;
    memset(MORE, FORBIDDEN, sizeof MORE);
    for (int way = 0; way < 3; way++)
        for (int c = 0; c < 128; c++)
            PyOS_snprintf(ESCAPES[way][c], sizeof ESCAPES[way][c], "\\u%04x", (unsigned)c);
}

static int refused(int c, const char *why)
{
    PyErr_Format(PyExc_ValueError, "what the function makes of the character %d %s", c, why);
    return -1;
}

/* Ask a function what it makes of a character. Return a new reference to an exact str, or NULL with an exception. */
static PyObject *made_of(PyObject *function, int c)
{
    PyObject *character = PyUnicode_FromOrdinal(c);
    PyObject *made = character == NULL ? NULL : PyObject_CallOneArg(function, character);
    Py_XDECREF(character);
    if (made != NULL && !is_text(made)) {
        Py_DECREF(made);
        refused(c, "is not a string");
        return NULL;
    }
    return made;
}

/* What a function makes of each character: nothing where it is left to Python, or the text that is written. */
typedef struct {
    char written[256][8];
} Table;

static int is_as_it_is(const Table *table, int c) { return (unsigned char)table->written[c][0] == c && c != 0 && table->written[c][1] == '\0'; }

static int is_forbidden(PyObject *made) { return PyUnicode_GET_LENGTH(made) == 1 && PyUnicode_READ_CHAR(made, 0) == 0xfffd; }

/* Note what a character becomes, without the quotes around it. */
static int note(Table *table, int c, PyObject *made, int quotes)
{
    Py_ssize_t length = PyUnicode_GET_LENGTH(made) - 2 * quotes;
    if (length < 1 || length > LONGEST_ESCAPE || PyUnicode_MAX_CHAR_VALUE(made) > 255)
        return refused(c, "is too long or too wide");
    memcpy(table->written[c], PyUnicode_1BYTE_DATA(made) + quotes, (size_t)length);
    table->written[c][length] = '\0';
    return 0;
}

/* What markup makes of characters: as they are, a reference, or U+FFFD for what is forbidden. */
static int keep_markup(unsigned char *more, const Table *table)
{
    for (int c = 0; c < 256; c++) {
        int changed = table->written[c][0] && !is_as_it_is(table, c);
        if (changed && c < 128 && !is_suspicious(0x0101010101010101u * (uint64_t)c))
            return refused(c, "is not seen at a glance");
    }
    for (int c = 0; c < 256; c++) {
        size_t length = strlen(table->written[c]);
        more[c] = length ? (unsigned char)(length - 1) : FORBIDDEN;
        if (length > 1)
            memcpy(REFERENCES[c], table->written[c], 8);
    }
    return 0;
}

static int keep_percent(const Table *table)
{
    for (int c = 0; c < 128; c++) {
        char expected[4];
        PyOS_snprintf(expected, sizeof expected, "%%%02X", (unsigned)c);
        if (!is_as_it_is(table, c) && strcmp(table->written[c], expected) != 0)
            return refused(c, "is not percent-encoded");
    }
    for (int c = 0; c < 128; c++)
        UNRESERVED[c] = (unsigned char)is_as_it_is(table, c);
    return 0;
}

static void keep_strings(char escapes[128][8], const Table *table)
{
    for (int c = 0; c < 128; c++) {
        memcpy(escapes[c], table->written[c], 8);
        if (is_as_it_is(table, c))
            escapes[c][0] = '\0';
    }
}

/* Whether str.isprintable() is true of a character: what is not printable, Python looks at more closely. */
static int is_printable(int c) { return (c >= 0x20 && c < 0x7f) || (c > 0xa0 && c != 0xad); }

int fill_table(int which, PyObject *function, int all)
{
    Table table;
    memset(&table, 0, sizeof table);
    int markup = is_markup(which);
    for (int c = 0; c < (markup ? 256 : 128); c++) {
        if (markup && !all && !is_printable(c))
            continue;
        PyObject *made = made_of(function, c);
        if (made == NULL)
            return -1;
        int noted = markup && is_forbidden(made) ? 0 : note(&table, c, made, which == QUOTED);
        Py_DECREF(made);
        if (noted < 0)
            return -1;
    }
    if (markup) {
        if (keep_markup(MORE[which], &table) < 0)
            return -1;
        COMPLETE[which] = (unsigned char)all;
        return 0;
    }
    if (which == PERCENT)
        return keep_percent(&table);
    keep_strings(ESCAPES[which == QUOTED ? IN_QUOTES : which == SCRIPT_STRING ? IN_SCRIPT_STRING : IN_JSON_STRING], &table);
    return 0;
}
