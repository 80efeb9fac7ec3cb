/* Loops are made of programs, of which nothing is believed: each number must be one that the step can have. */

#include "interpreter.h"

/* What each step is followed by: a slot (s), a name (n), a join and slots for all its values (j), a step further
   on (t), a number (i), a slot or -1 (o), or how many slots follow (c). */
static const char *const SHAPES[STEPS] = {
    [READ] = "ssn",     /* to, from, name: a dot */
    [WRITE] = "j",
    [TEST] = "sti",     /* value, where to go on when it is false, whether an array is asked for items */
    [JUMP] = "t",
    [ITEMS] = "ssi",    /* to, from, whether pairs: what a loop runs over, if it can be run over again */
    [FOR] = "sstt",     /* items, item, end of the body, end of what is done when there is no item */
    [SPLIT] = "sss",    /* pair, first, second */
    [CALL] = "ssoic",   /* to, function, names of the last arguments, whether it may use arguments up, arguments */
    [COMPARE] = "sssi", /* to, left, right, how */
    [BINARY] = "sssi",
    [UNARY] = "ssi",
    [COPY] = "ss",      /* to, from */
    [ABSENT] = "st",    /* value, where to go on when it is None or missing */
    [NEED] = "s",       /* value, that must not be missing */
    [PACK] = "sc",      /* to, items of a tuple */
};

/* Where the step after one begins; -1 when it is none that there can be. */
static int after_step(const Loop *self, int at, int length)
{
    const int *code = self->code;
    if (code[at] < 0 || code[at] >= STEPS)
        return -1;
    int next = at + 1;
    for (const char *shape = SHAPES[code[at]]; *shape; shape++, next++) {
        int number = next < length ? code[next] : -2, most = self->slots, follow = 0;
        switch (*shape) {
        case 'n': most = (int)PyTuple_GET_SIZE(self->names); break;
        case 't': most = number > at ? length + 1 : 0; break;
        case 'i': most = 10; break;
        case 'c': follow = number; break;
        case 'o': number = number == -1 ? 0 : number; break;
        case 'j':
            most = (int)PyTuple_GET_SIZE(self->joins);
            if (number >= 0 && number < most)
                follow = (int)Py_SIZE(PyTuple_GET_ITEM(self->joins, number));
            break;
        }
        if (number < 0 || number >= most)
            return -1;
        for (; follow > 0; follow--)
            if (++next >= length || code[next] < 0 || code[next] >= self->slots)
                return -1;
    }
    return next;
}

/* A loop keeps functions, which may lead back to it: it is one of the objects that Python looks through for that. */
static int loop_traverse(Loop *self, visitproc visit, void *arg)
{
    for (Py_ssize_t i = 0; self->seen != NULL && i < Py_SIZE(self); i++)
        Py_VISIT(self->seen[i]);
    Py_VISIT(self->names);
    Py_VISIT(self->joins);
    Py_VISIT(self->kept);
    Py_VISIT(self->module);
    Py_VISIT(Py_TYPE(self));
    return 0;
}

static int loop_clear(Loop *self)
{
    for (Py_ssize_t i = 0; self->seen != NULL && i < Py_SIZE(self); i++)
        Py_CLEAR(self->seen[i]);
    Py_CLEAR(self->kept);
    return 0;
}

static void loop_free(Loop *self)
{
    PyTypeObject *type = Py_TYPE(self);
    PyObject_GC_UnTrack(self);
    loop_clear(self);
    PyMem_Free(self->seen);
    Py_XDECREF(self->names);
    Py_XDECREF(self->joins);
    Py_XDECREF(self->module);
    PyObject_GC_Del(self);
    Py_DECREF(type);
}

static PyMethodDef LOOP_CALL = {
    "loop", (PyCFunction)(void (*)(void))loop_call, METH_FASTCALL, "Write what a loop writes for its items; return what is left.",
};

/* Whether all places that a step may go on at are beginnings of steps, or the end. */
static int leads_to_steps(const int *step, const char *begins)
{
    const int *number = step + 1;
    for (const char *shape = SHAPES[step[0]]; *shape; shape++, number++)
        if (*shape == 't' && !begins[*number])
            return 0;
    return 1;
}

/* Take the steps: -1 with an exception when they are not what a loop can do. */
static int take_steps(Loop *self, PyObject *code)
{
    int length = (int)PyTuple_GET_SIZE(code), wrong = -1;
    for (int i = 0; i < length; i++) {
        long number = PyLong_AsLong(PyTuple_GET_ITEM(code, i));
        if (number == -1 && PyErr_Occurred())
            return -1;
        self->code[i] = number < -1 || number > length + MOST_SLOTS ? -2 : (int)number;
    }
    char *begins = PyMem_Calloc((size_t)length + 1, 1);
    if (begins == NULL) {
        PyErr_NoMemory();
        return -1;
    }
    for (int at = 0, next; at < length && wrong < 0; at = next) {
        begins[at] = 1;
        next = after_step(self, at, length);
        if (next < 0)
            wrong = at;
    }
    begins[length] = 1;
    for (int at = 0; at < length && wrong < 0; at = after_step(self, at, length))
        if (!leads_to_steps(self->code + at, begins))
            wrong = at;
    PyMem_Free(begins);
    if (wrong < 0)
        return 0;
    PyErr_Format(PyExc_ValueError, "there is no such step at %d", wrong);
    return -1;
}

PyObject *new_loop(PyObject *module, State *state, PyObject *arguments)
{
    PyObject *code, *names, *joins, *kept;
    int given, slots, chunks, awaits;
    if (!PyArg_ParseTuple(arguments, "O!O!O!O!iipp", &PyTuple_Type, &code, &PyTuple_Type, &names, &PyTuple_Type, &joins,
                          &PyTuple_Type, &kept, &given, &slots, &chunks, &awaits))
        return NULL;
    if (given < 0 || slots > MOST_SLOTS || 1 + given + PyTuple_GET_SIZE(kept) > slots || PyTuple_GET_SIZE(code) > 100000) {
        PyErr_SetString(PyExc_ValueError, "a loop takes more, or less, than there can be");
        return NULL;
    }
    Loop *self = PyObject_GC_NewVar(Loop, state->loop, PyTuple_GET_SIZE(code));
    if (self == NULL)
        return NULL;
    self->state = state;
    self->module = Py_NewRef(module);
    self->names = Py_NewRef(names);
    self->kept = Py_NewRef(kept);
    self->given = given;
    self->slots = slots;
    self->passes = 0;
    self->chunks = chunks;
    self->awaits = awaits;
    self->seen = PyMem_Calloc((size_t)PyTuple_GET_SIZE(code) + 1, sizeof(PyTypeObject *));
    self->joins = PyTuple_New(PyTuple_GET_SIZE(joins));
    PyObject *function = NULL;
    if (self->seen == NULL)
        PyErr_NoMemory();
    int fine = self->seen != NULL && self->joins != NULL;
    for (Py_ssize_t i = 0; fine && i < PyTuple_GET_SIZE(joins); i++) {
        PyObject *texts, *kinds;
        Join *join = NULL;
        if (PyArg_ParseTuple(PyTuple_GET_ITEM(joins, i), "O!O!", &PyTuple_Type, &texts, &PyBytes_Type, &kinds))
            join = make_join(module, state, texts, kinds);
        fine = join != NULL;
        PyTuple_SET_ITEM(self->joins, i, (PyObject *)join);
    }
    PyObject_GC_Track(self);
    if (fine && take_steps(self, code) == 0)
        function = PyCFunction_New(&LOOP_CALL, (PyObject *)self);
    Py_DECREF(self);
    return function;
}

static PyType_Slot LOOP_SLOTS[] = {
    {Py_tp_dealloc, loop_free},
    {Py_tp_traverse, loop_traverse},
    {Py_tp_clear, loop_clear},
    {0, NULL},
};
static PyType_Spec LOOP_SPEC = {
    "untor.escape._extension.Loop", (int)offsetof(Loop, code), sizeof(int),
    Py_TPFLAGS_DEFAULT | Py_TPFLAGS_HAVE_GC | Py_TPFLAGS_DISALLOW_INSTANTIATION | Py_TPFLAGS_IMMUTABLETYPE,
    LOOP_SLOTS,
};

int add_loops(PyObject *module, State *state)
{
    state->loop = (PyTypeObject *)PyType_FromModuleAndSpec(module, &LOOP_SPEC, NULL);
    return state->loop == NULL ? -1 : 0;
}
