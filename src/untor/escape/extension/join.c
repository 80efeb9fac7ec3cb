/* Fixed text and values, escaped and put together in one go.

   A join is made of the texts of a run and of how each value between them is escaped. Called with the write of a page
   and the values it writes them there; with any other callable, calls that with the text; with None, returns it. It
   first looks at all values and writes nothing before it knows that it can write everything: for a value that it cannot
   print, as for one that is missing, it returns None, and the caller does the same in Python, which says what is wrong
   and where.

   A page is a text that grows.

   What is called for each run is a built-in function with a page or a join as its self: for these the interpreter has
   the fastest way to call. */

#include "writing.h"

/* --- pages --------------------------------------------------------------------------------------------------------- */

int page_cut(Page *page, Py_ssize_t length, Py_UCS4 widest)
{
    page->length = length;
    if (page->buffer == NULL || PyUnicode_MAX_CHAR_VALUE(page->buffer) == widest)
        return 0;
    PyObject *narrow = NULL;
    if (length) {
        narrow = PyUnicode_New(length, widest);
        if (narrow == NULL)
            return -1;
        int from_kind = PyUnicode_KIND(page->buffer), kind = PyUnicode_KIND(narrow);
        const void *from = PyUnicode_DATA(page->buffer);
        void *to = PyUnicode_DATA(narrow);
        for (Py_ssize_t i = 0; i < length; i++)
            PyUnicode_WRITE(kind, to, i, PyUnicode_READ(from_kind, from, i));
    }
    Py_XSETREF(page->buffer, narrow);
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
    if (self->length < SHORTEST_CHUNK)
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

/* --- exceptions ---------------------------------------------------------------------------------------------------- */

int left_to_python(State *state)
{
    if (!PyErr_Occurred())
        return 0;
    if (!PyErr_ExceptionMatches(PyExc_Exception) || state->slow[HAS_NO_LOCATION] == NULL)
        return -1;
#if PY_VERSION_HEX < 0x030C0000
    PyObject *type, *error, *trace;
    PyErr_Fetch(&type, &error, &trace);
    PyErr_NormalizeException(&type, &error, &trace);
#else
    PyObject *error = PyErr_GetRaisedException();
#endif
    PyObject *unlocated = PyObject_CallOneArg(state->slow[HAS_NO_LOCATION], error);
    int again = unlocated == Py_True;
    if (unlocated == NULL)
        PyErr_Clear();
    Py_XDECREF(unlocated);
#if PY_VERSION_HEX < 0x030C0000
    if (!again) {
        PyErr_Restore(type, error, trace);
        return -1;
    }
    Py_XDECREF(type);
    Py_XDECREF(trace);
#else
    if (!again) {
        PyErr_SetRaisedException(error);
        return -1;
    }
#endif
    Py_XDECREF(error);
    return 0;
}

/* --- joins ---------------------------------------------------------------------------------------------------------------- */

Page *page_of(PyObject *write)
{
    if (PyCFunction_CheckExact(write) && PyCFunction_GET_FUNCTION(write) == (PyCFunction)page_write)
        return (Page *)PyCFunction_GET_SELF(write);
    return NULL;
}

#define SMALL_PAGE 1000

static PyObject *join_call(Join *self, PyObject *const *arguments, Py_ssize_t given)
{
    Py_ssize_t count = Py_SIZE(self), length, seen;
    if (given != count + 1) {
        PyErr_Format(PyExc_TypeError, "this takes a page and %zd values", count);
        return NULL;
    }
    Piece pieces[MOST_VALUES];
    Py_UCS4 widest;
    PyObject *result = NULL;
    Page *page = page_of(arguments[0]);
    if (page != NULL && write_quickly_to(page, self, arguments + 1))
        return Py_NewRef(Py_True);
    if (arguments[0] == Py_None && self->widest < 128 && self->length < SMALL_PAGE) {
        Py_UCS1 small[SMALL_PAGE], *end = write_quickly(self, arguments + 1, small, small + SMALL_PAGE);
        if (end != NULL && (result = PyUnicode_New(end - small, 127)) != NULL)
            memcpy(PyUnicode_1BYTE_DATA(result), small, (size_t)(end - small));
        if (end != NULL)
            return result;
    }
    int fine = look_at_all(self, arguments + 1, pieces, &seen, &length, &widest);
    if (fine == 0)
        result = Py_NewRef(Py_None);
    else if (fine > 0 && page != NULL) {
        if (write_to(page, self, pieces, length, widest) > 0)
            result = Py_NewRef(Py_True);
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
    release_all(pieces, seen);
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

Join *make_join(PyObject *module, State *state, PyObject *texts, PyObject *kinds)
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
    return self;
}

PyObject *new_join(PyObject *module, State *state, PyObject *texts, PyObject *kinds)
{
    Join *self = make_join(module, state, texts, kinds);
    PyObject *function = self == NULL ? NULL : PyCFunction_New(&JOIN_CALL, (PyObject *)self);
    Py_XDECREF(self);
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
    "untor.escape._extension.Join", (int)offsetof(Join, kinds), 1,
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
    "untor.escape._extension.Page", sizeof(Page), 0,
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
