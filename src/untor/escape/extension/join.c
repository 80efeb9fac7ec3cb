/* Fixed text and values, escaped and written in one go.

   All values are looked at first. One that is not among the most common is given to the function in Python that does the
   same, in its turn; nothing is written before all are known. */

#include "writing.h"

/* Ask Python what is written for a value: 0, or -1 with an exception. */
static int ask_for(const Join *join, Py_ssize_t i, PyObject *value, Piece *piece)
{
    int which = escaping_of(join->kinds[i]);
    PyObject *printed = NULL;
    if (which == SLOW)
        printed = Py_NewRef(value);
    else {
        PyObject *slow = join->state->slow[which], *edges = PyTuple_GET_ITEM(join->edges, i);
        if (slow == NULL) {
            PyErr_SetString(PyExc_RuntimeError, "an escaping function is not installed");
            return -1;
        }
        if (is_text(value) && complete_table(which, slow) < 0)
            return -1;
        if (edges == Py_None)
            printed = PyObject_CallOneArg(slow, value);
        else {
            printed = PyObject_CallFunctionObjArgs(slow, PyTuple_GET_ITEM(edges, 0), value, PyTuple_GET_ITEM(edges, 1), NULL);
            piece->whole = 1;
        }
    }
    if (printed != NULL && !is_text(printed)) {
        if (PyUnicode_Check(printed))
            Py_SETREF(printed, PyUnicode_FromObject(printed));
        else {
            PyErr_Format(PyExc_TypeError, "an escaping function gave %.80s, and no text", Py_TYPE(printed)->tp_name);
            Py_CLEAR(printed);
        }
    }
    if (printed == NULL)
        return -1;
    piece->owned = piece->text = printed;
    piece->way = COPIED;
    piece->length = PyUnicode_GET_LENGTH(printed);
    return 0;
}

/* Append part of a text: 0, or -1 with an exception. */
static int append_part(Page *page, PyObject *text, Py_ssize_t start, Py_ssize_t end)
{
    PyObject *part = PyUnicode_Substring(text, start, end);
    int fine = part == NULL ? -1 : page_append(page, part);
    Py_XDECREF(part);
    return fine;
}

/* Write what was looked at one after another, where a value brings the texts around it itself: 0, or -1 with an exception. */
static int write_each(Page *page, const Join *join, const Piece *pieces)
{
    Py_ssize_t skipped = 0;
    for (int i = 0; i <= join->count; i++) {
        PyObject *text = PyTuple_GET_ITEM(join->texts, i), *edges = i < join->count ? PyTuple_GET_ITEM(join->edges, i) : Py_None;
        int is_whole = i < join->count && pieces[i].whole;
        Py_ssize_t end = PyUnicode_GET_LENGTH(text) - (is_whole ? PyUnicode_GET_LENGTH(PyTuple_GET_ITEM(edges, 0)) : 0);
        if (append_part(page, text, skipped, end) < 0)
            return -1;
        skipped = is_whole ? PyUnicode_GET_LENGTH(PyTuple_GET_ITEM(edges, 1)) : 0;
        if (i == join->count)
            break;
        const Piece *piece = pieces + i;
        Py_UCS4 widest = piece->text == NULL || piece->way == ENCODED ? 127 : PyUnicode_MAX_CHAR_VALUE(piece->text);
        if (make_room(page, piece->length, widest) < 0)
            return -1;
        page->length = write_piece(piece, page->kind, page->data, page->length);
    }
    return 0;
}

/* Make room for long texts, and write all values quickly after all: whether that could be done. */
static int write_into_more_room(Page *page, const Join *join, PyObject *const *values)
{
    if (join->length <= page->room - page->length || join->widest > page->widest)
        return 0;
    if (make_room(page, join->length, page->widest) == 0)
        return write_quickly_to(page, join, values);
    PyErr_Clear(); /* the same is tried again for all that is written, and told of */
    return 0;
}

int write_values(Page *page, const Join *join, PyObject *const *values, int (*tell)(void *, int), void *whom)
{
    if (write_into_more_room(page, join, values))
        return -1;
    PyObject *reports = join->state->reports;
    Piece pieces[MOST_VALUES];
    Py_ssize_t length = join->length;
    Py_UCS4 widest = join->widest;
    int seen, whole = 0, failed = -1;
    for (seen = 0; seen < join->count; seen++) {
        Piece *piece = pieces + seen;
        if (!look_at(values[seen], escaping_of(join->kinds[seen]), piece)) {
            if (ask_for(join, seen, values[seen], piece) < 0) {
                failed = seen;
                break;
            }
            if (reports != NULL && PyList_GET_SIZE(reports) && tell(whom, seen) < 0) {
                failed = seen++;
                break;
            }
        }
        if (piece->length > PY_SSIZE_T_MAX - length) {
            PyErr_NoMemory();
            failed = seen++;
            break;
        }
        whole |= piece->whole;
        length += piece->length;
        if (piece->text != NULL && piece->way != ENCODED && PyUnicode_MAX_CHAR_VALUE(piece->text) > widest)
            widest = PyUnicode_MAX_CHAR_VALUE(piece->text);
    }
    if (failed < 0 && whole && write_each(page, join, pieces) < 0)
        failed = 0;
    else if (failed < 0 && !whole && length) {
        if (make_room(page, length, widest) < 0)
            failed = 0;
        else {
            write_all(join, pieces, page->kind, page->data, page->length);
            page->length += length;
        }
    }
    for (int i = 0; i < seen; i++)
        Py_XDECREF(pieces[i].owned);
    return failed;
}

void free_join(Join *join)
{
    Py_CLEAR(join->texts);
    Py_CLEAR(join->edges);
    Py_CLEAR(join->letters);
}

/* Whether an edge is None, or of two texts that are in the texts around the value. */
static int is_edge(const Join *join, Py_ssize_t i)
{
    PyObject *edge = PyTuple_GET_ITEM(join->edges, i);
    if (edge == Py_None)
        return escaping_of(join->kinds[i]) != SEGMENT_URL;
    if (!PyTuple_CheckExact(edge) || PyTuple_GET_SIZE(edge) != 2 || !is_text(PyTuple_GET_ITEM(edge, 0))
        || !is_text(PyTuple_GET_ITEM(edge, 1)))
        return 0;
    PyObject *before = PyTuple_GET_ITEM(join->texts, i), *after = PyTuple_GET_ITEM(join->texts, i + 1);
    return PyUnicode_Tailmatch(before, PyTuple_GET_ITEM(edge, 0), 0, PY_SSIZE_T_MAX, 1) == 1
        && PyUnicode_Tailmatch(after, PyTuple_GET_ITEM(edge, 1), 0, PY_SSIZE_T_MAX, -1) == 1;
}

int make_join(Join *join, State *state, PyObject *parts)
{
    if (!PyArg_ParseTuple(parts, "O!O!O!", &PyTuple_Type, &join->texts, &PyBytes_Type, &join->letters, &PyTuple_Type,
                          &join->edges)) {
        join->texts = join->edges = join->letters = NULL;
        return -1;
    }
    Py_INCREF(join->texts);
    Py_INCREF(join->edges);
    Py_INCREF(join->letters);
    Py_ssize_t count = PyBytes_GET_SIZE(join->letters);
    if (count > MOST_VALUES || PyTuple_GET_SIZE(join->texts) != count + 1 || PyTuple_GET_SIZE(join->edges) != count) {
        PyErr_Format(PyExc_ValueError, "there are at most %d values, with texts around them", MOST_VALUES);
        return -1;
    }
    join->state = state;
    join->kinds = PyBytes_AS_STRING(join->letters);
    join->count = (int)count;
    join->length = 0;
    join->widest = 0;
    for (Py_ssize_t i = 0; i <= count; i++) {
        PyObject *text = PyTuple_GET_ITEM(join->texts, i);
        if (!is_text(text) || PyUnicode_GET_LENGTH(text) > PY_SSIZE_T_MAX - join->length) {
            PyErr_SetString(PyExc_TypeError, "the texts are str");
            return -1;
        }
        join->length += PyUnicode_GET_LENGTH(text);
        if (PyUnicode_GET_LENGTH(text) && PyUnicode_MAX_CHAR_VALUE(text) > join->widest)
            join->widest = PyUnicode_MAX_CHAR_VALUE(text);
    }
    for (Py_ssize_t i = 0; i < count; i++)
        if (!is_edge(join, i)) {
            PyErr_SetString(PyExc_ValueError, "the edges of a value are in the texts around it");
            return -1;
        }
    return 0;
}
