/* Rendering: a page at once, or one that is left and goes on. */

#include "reading.h"

/* Begin a page; its values are still to be read. */
static int begin(Run *run, Program *program, PyObject *context)
{
    memset(run, 0, offsetof(Run, page));
    page_begin(&run->page);
    run->program = program;
    run->at = run->which = 0;
    run->chunks = run->awaits = 0;
    run->turns = 0;
    run->stack = run->first;
    run->depth = 0;
    run->room = FIRST_ACTIVATIONS;
    run->collected = run->scope = run->computed = run->values = run->given_names = NULL;
    run->given = NULL;
    run->waits = run->again = run->awaited = 0;
    run->context = context;
    run->environment = run->root = new_environment(program->functions);
    return run->root == NULL ? -1 : 0;
}

/* Let go what a page had. */
static void end(Run *run)
{
    while (run->depth) {
        Activation back = run->stack[--run->depth];
        Environment *left = run->environment;
        run->environment = back.environment;
        if (back.owned)
            free_environment(left);
    }
    Environment *root = run->root;
    run->root = run->environment = NULL;
    if (root != NULL)
        free_environment(root);
    if (run->stack != run->first)
        PyMem_Free(run->stack);
    run->stack = run->first;
    Py_CLEAR(run->page.buffer);
    Py_CLEAR(run->collected);
    Py_CLEAR(run->scope);
    Py_CLEAR(run->computed);
}

/* --- values ---------------------------------------------------------------------------------------------------------- */

/* The number of a value of the page; -1 when there is none of the name, or with an exception. */
static int number_of(const Program *program, PyObject *name)
{
    for (int i = 0; i < program->inputs_count && i < 8; i++)
        if (PyTuple_GET_ITEM(program->inputs, i) == name)
            return i;
    PyObject *number = PyDict_GetItemWithError(program->places, name);
    return number == NULL ? -1 : (int)PyLong_AsLong(number);
}

/* Read the values of a page from a dict; those that it does not have are what they are without it: 0, or -1 with an
   exception. */
static int take_from(Run *run, PyObject *names, int is_first)
{
    const Program *program = run->program;
    PyObject **slots = run->root->slots;
    for (int i = 0; i < program->inputs_count; i++) {
        PyObject *value = names == NULL ? NULL : PyDict_GetItemWithError(names, PyTuple_GET_ITEM(program->inputs, i));
        if (value == NULL && PyErr_Occurred())
            return -1;
        if (value == NULL && is_first)
            value = PyTuple_GET_ITEM(program->fallbacks, i);
        if (value != NULL)
            Py_SETREF(slots[i], Py_NewRef(value));
    }
    return 0;
}

/* Read the values of a page: those by name, those of the context, those of the engine, in this order. */
static int take_values(Run *run)
{
    const Program *program = run->program;
    PyObject **slots = run->root->slots;
    if (run->context != Py_None && !PyDict_CheckExact(run->context)) {
        PyObject *values = run->values == NULL ? PyDict_New() : PyDict_Copy(run->values);
        for (Py_ssize_t i = 0; values != NULL && run->given_names != NULL && i < PyTuple_GET_SIZE(run->given_names); i++)
            if (PyDict_SetItem(values, PyTuple_GET_ITEM(run->given_names, i), run->given[i]) < 0)
                Py_CLEAR(values);
        if (values == NULL)
            return -1;
        run->scope = PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(program->helpers, MERGE), run->context, values, NULL);
        Py_DECREF(values);
        if (run->scope == NULL)
            return -1;
        if (!PyDict_Check(run->scope)) {
            PyErr_SetString(PyExc_SystemError, "the names of a page are a dict");
            return -1;
        }
    }
    if (run->scope != NULL)
        return take_from(run, run->scope, 1);
    if (take_from(run, run->context == Py_None ? NULL : run->context, 1) < 0)
        return -1;
    if (run->values != NULL)
        return take_from(run, run->values, 0);
    for (Py_ssize_t i = 0; run->given_names != NULL && i < PyTuple_GET_SIZE(run->given_names); i++) {
        int number = number_of(program, PyTuple_GET_ITEM(run->given_names, i));
        if (number >= 0)
            Py_SETREF(slots[number], Py_NewRef(run->given[i]));
        else if (PyErr_Occurred())
            return -1;
    }
    return 0;
}

/* --- exceptions ------------------------------------------------------------------------------------------------------ */

/* How many items each loop has taken, and how many of them have been used, one loop after another. */
static PyObject *items_of(const Environment *environment)
{
    int loops = environment == NULL ? 0 : environment->function->loops;
    PyObject *counts = PyTuple_New(2 * (Py_ssize_t)loops);
    for (int each = 0; counts != NULL && each < loops; each++) {
        PyTuple_SET_ITEM(counts, 2 * each, PyLong_FromSsize_t(environment->loops[each].at));
        PyTuple_SET_ITEM(counts, 2 * each + 1, PyLong_FromSsize_t(environment->loops[each].count));
    }
    return counts;
}

/* Where a page has come to, from the outside in: for each function its number, the place in the code, its slots, what it
   has of each loop, and which of those that are going on it is. */
static PyObject *trail_of(Run *run)
{
    PyObject *trail = PyTuple_New(run->depth + 1);
    for (int i = 0; trail != NULL && i <= run->depth; i++) {
        int is_last = i == run->depth;
        const Environment *environment = is_last ? run->environment : run->stack[i].environment;
        PyObject *values = environment == NULL ? PyTuple_New(0) : PyTuple_New(environment->function->slots);
        if (values == NULL) {
            Py_CLEAR(trail);
            break;
        }
        for (Py_ssize_t each = 0; each < PyTuple_GET_SIZE(values); each++)
            PyTuple_SET_ITEM(values, each, Py_NewRef(environment->slots[each]));
        int number = environment == NULL ? 0 : (int)(environment->function - run->program->functions);
        PyObject *counts = items_of(environment);
        if (counts == NULL) {
            Py_DECREF(values);
            Py_CLEAR(trail);
            break;
        }
        PyObject *entry = Py_BuildValue("iiNNN", number, is_last ? run->which : run->stack[i].step, values, counts,
                                        PyLong_FromVoidPtr((void *)environment));
        if (entry == NULL) {
            Py_CLEAR(trail);
            break;
        }
        PyTuple_SET_ITEM(trail, i, entry);
    }
    return trail;
}

int run_report(Run *run, int at)
{
    run->which = at;
    PyObject *trail = trail_of(run), *done = NULL;
    if (trail != NULL)
        done = slowly(run->program->state, REPORTED, PyTuple_GET_ITEM(run->program->helpers, FAILED), trail, NULL);
    Py_XDECREF(trail);
    Py_XDECREF(done);
    return done == NULL ? -1 : 0;
}

/* Ask Python for the exception to raise instead of one: a new reference, or NULL with an exception. */
static PyObject *replacement(Run *run, PyObject *error)
{
    PyObject *trail = trail_of(run), *other = NULL;
    if (trail != NULL)
        other = PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(run->program->helpers, FAILED), error, trail, NULL);
    Py_XDECREF(trail);
    if (other != NULL && !PyExceptionInstance_Check(other)) {
        Py_DECREF(other);
        PyErr_SetString(PyExc_SystemError, "the exception to raise is not one");
        return NULL;
    }
    return other;
}

/* Raise an exception with its place instead of the one that there is. */
static void tell_place(Run *run)
{
    if (!PyErr_ExceptionMatches(PyExc_Exception))
        return;
    PyObject *error = PyErr_GetRaisedException();
    PyObject *other = replacement(run, error);
    Py_XDECREF(error);
    if (other == NULL)
        return;
    PyErr_SetRaisedException(other);
}

/* --- a page at once -------------------------------------------------------------------------------------------------- */

static PyObject *program_render(Program *self, PyObject *const *arguments, Py_ssize_t count, PyObject *names)
{
    if (count > 1) {
        PyErr_Format(PyExc_TypeError, "render() takes one mapping by position, and all other values by name; %zd were given", count);
        return NULL;
    }
    if (Py_EnterRecursiveCall(" while rendering a page"))
        return NULL;
    Run run;
    PyObject *page = NULL;
    if (begin(&run, self, count ? arguments[0] : Py_None) == 0) {
        run.given = arguments + count;
        run.given_names = names;
        if (take_values(&run) == 0 && run_on(&run) == DONE)
            page = page_finish(&run.page);
        else
            tell_place(&run);
        end(&run);
    }
    Py_LeaveRecursiveCall();
    return page;
}

/* --- a page that goes on --------------------------------------------------------------------------------------------- */

typedef struct {
    PyObject_HEAD
    Run run;
    int going, is_over;
} Rendering;

static int rendering_traverse(Rendering *self, visitproc visit, void *arg)
{
    Run *run = &self->run;
    Py_VISIT(Py_TYPE(self));
    Py_VISIT(run->program);
    Py_VISIT(run->context);
    Py_VISIT(run->values);
    Py_VISIT(run->scope);
    Py_VISIT(run->computed);
    Py_VISIT(run->collected);
    for (int i = 0; i <= run->depth; i++) {
        const Environment *environment = i == run->depth ? run->environment : run->stack[i].environment;
        if (environment == NULL || (i && !run->stack[i - 1].owned))
            continue;
        for (int each = 0; each < environment->function->slots; each++)
            Py_VISIT(environment->slots[each]);
        for (int each = 0; each < environment->function->loops; each++)
            Py_VISIT(environment->loops[each].items);
    }
    return 0;
}

static int rendering_clear(Rendering *self)
{
    if (!self->going) {
        self->is_over = 1;
        end(&self->run);
    }
    return 0;
}

static void rendering_free(Rendering *self)
{
    PyTypeObject *type = Py_TYPE(self);
    PyObject_GC_UnTrack(self);
    end(&self->run);
    Py_XDECREF(self->run.context);
    Py_XDECREF(self->run.values);
    Py_XDECREF(self->run.program);
    PyObject_GC_Del(self);
    Py_DECREF(type);
}

static PyObject *program_begin(Program *self, PyObject *arguments)
{
    PyObject *context, *values;
    int chunks, awaits;
    if (!PyArg_ParseTuple(arguments, "OO!pp", &context, &PyDict_Type, &values, &chunks, &awaits))
        return NULL;
    Rendering *rendering = PyObject_GC_New(Rendering, self->state->run);
    if (rendering == NULL)
        return NULL;
    int fine = begin(&rendering->run, self, Py_NewRef(context));
    Py_INCREF(self);
    rendering->run.values = Py_NewRef(values);
    rendering->run.chunks = chunks;
    rendering->run.awaits = awaits;
    rendering->going = 0;
    rendering->is_over = 0;
    if (fine == 0 && take_values(&rendering->run) < 0) {
        tell_place(&rendering->run);
        fine = -1;
    }
    PyObject_GC_Track(rendering);
    if (fine < 0)
        Py_CLEAR(rendering);
    return (PyObject *)rendering;
}

static PyObject *rendering_resume(Rendering *self, PyObject *value)
{
    Run *run = &self->run;
    if (self->going) {
        PyErr_SetString(PyExc_RuntimeError, "the page is being rendered already");
        return NULL;
    }
    if (self->is_over)
        Py_RETURN_NONE;
    if (run->waits && run_take(run, value) < 0)
        return NULL;
    if (Py_EnterRecursiveCall(" while rendering a page"))
        return NULL;
    self->going = 1;
    int state = run_on(run);
    self->going = 0;
    Py_LeaveRecursiveCall();
    PyObject *result = NULL;
    switch (state) {
    case WAITING:
        return run_awaited(run);
    case TURN:
        Py_RETURN_TRUE;
    case CHUNK:
        return page_finish(&run->page);
    case DONE:
        if (run->chunks && run->page.length == 0)
            result = Py_NewRef(Py_None);
        else
            result = page_finish(&run->page);
        break;
    default:
        tell_place(run);
    }
    self->is_over = 1;
    end(run);
    return result;
}

static PyObject *rendering_end_items(Rendering *self, PyObject *ignored)
{
    (void)ignored;
    return PyBool_FromLong(!self->going && !self->is_over && run_end_items(&self->run));
}

static PyObject *rendering_failed(Rendering *self, PyObject *error)
{
    Run *run = &self->run;
    if (self->going || self->is_over || run->environment == NULL) {
        PyErr_SetString(PyExc_RuntimeError, "the page is not waiting");
        return NULL;
    }
    PyObject *other = replacement(run, error);
    self->is_over = 1;
    end(run);
    return other;
}

PyMethodDef PROGRAM_METHODS[] = {
    {"begin", (PyCFunction)program_begin, METH_VARARGS, "Begin a page that is rendered in pieces."},
    {"render", (PyCFunction)(void (*)(void))program_render, METH_FASTCALL | METH_KEYWORDS, "Return the page."},
    {NULL, NULL, 0, NULL},
};

static PyMethodDef RENDERING_METHODS[] = {
    {"end_items", (PyCFunction)rendering_end_items, METH_NOARGS, "End the loop whose next item was awaited, and return whether there is one."},
    {"failed", (PyCFunction)rendering_failed, METH_O, "Return the exception to raise for one that awaiting has raised."},
    {"resume", (PyCFunction)rendering_resume, METH_O,
     "Go on, with what was awaited: return text, what is to be awaited, True for a turn of others, None when all is done."},
    {NULL, NULL, 0, NULL},
};
static PyType_Slot RENDERING_SLOTS[] = {
    {Py_tp_dealloc, rendering_free},
    {Py_tp_traverse, rendering_traverse},
    {Py_tp_clear, rendering_clear},
    {Py_tp_methods, RENDERING_METHODS},
    {0, NULL},
};
PyType_Spec RUN_SPEC = {
    "untor.escape._extension.Rendering", sizeof(Rendering), 0,
    Py_TPFLAGS_DEFAULT | Py_TPFLAGS_HAVE_GC | Py_TPFLAGS_DISALLOW_INSTANTIATION | Py_TPFLAGS_IMMUTABLETYPE,
    RENDERING_SLOTS,
};
