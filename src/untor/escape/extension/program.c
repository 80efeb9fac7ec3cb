/* Programs: made of tables and steps, of which nothing is believed: each number must be one that the step can have. */

#include "program.h"

/* What each step is followed by: a slot that is written (d), an operand (v), a name (n) or none (o), a join and operands
   for its values (j), a step of the same function (t), a loop (l), one of its function's contents (x), a number (i), how
   many operands (c) or slots that are written (s) follow, how many names a loop has (m), a function with its arguments and
   contents (f), content with as many more (y), how many contents follow (k), one of the page's own values (u), or the number
   of a read, doubled, with one more where it waits (r). */
static const char *const SHAPES[STEPS] = {
    [WRITE] = "j",
    [READ] = "dvnr",       /* to, owner, name, which read it is and whether to wait: a dot */
    [READ_DATA] = "dvnr",  /* the same for what is handed on */
    [READ_ITEM] = "dvvi",  /* to, owner, index, whether to wait */
    [NEED] = "doivi",      /* slot that must not be missing, name, what of it, names that there are, whether to wait */
    [INPUT] = "duoi",      /* to, value of the page, name, whether to wait */
    [COPY] = "dv",
    [JUMP] = "t",
    [TEST] = "vt",         /* value, where to go on when it is false */
    [ABSENT] = "vt",       /* value, where to go on when it is None or missing */
    [GIVEN] = "vt",        /* value, where to go on when it is not missing */
    [ITEMS] = "lvim",      /* loop, what it runs over, whether all are taken first, names */
    [NEXT] = "ldt",        /* loop, item, where to go on when there is none */
    [COUNT] = "l",
    [EMPTY] = "lt",        /* loop, where to go on when it had an item */
    [SPLIT] = "vs",        /* item, the slots of its values */
    [POSITION] = "dli",    /* to, loop, what of it */
    [CALL] = "dvvic",      /* to, function, names of the last arguments or None, whether to wait, arguments */
    [COMPARE] = "dvvi",    /* to, left, right, how */
    [BINARY] = "dvvi",
    [UNARY] = "dvi",
    [PACK] = "dic",        /* to, into what, items */
    [ADD] = "vv",          /* list, item */
    [PRINT] = "dv",
    [ENTER] = "f",
    [LEAVE] = "",
    [CONTENT] = "yt",      /* content, the first of those it is given and how many, where to go on */
    [SLOT] = "xk",
    [COLLECT] = "di",      /* list of the pieces of a URL, whether it begins */
    [PIECE] = "v",
    [NONCE] = "d",
    [CALLEE] = "dvv",      /* to, what is called, its words in the template */
    [CHECK] = "dvvvvi",    /* value, the function that checks it, its name, its type, whether it may be None, its kind */
    [SIMPLE] = "dvvit",    /* to, value, whether URLs of the web are permitted, what is simple, where to go on when it is */
    [SEND] = "i",          /* whether everything is sent that there is */
};

#define GREATEST_NUMBER 10

/* Whether a number is an operand of a function. */
static int is_operand(const Program *self, const Function *function, int number)
{
    return number < function->slots && number >= -(int)PyTuple_GET_SIZE(self->constants);
}

/* Where the step after one begins; -1 when it is none that there can be. */
static int after_step(Program *self, const Function *function, int at)
{
    const int *code = self->code;
    if (code[at] < 0 || code[at] >= STEPS)
        return -1;
    int next = at + 1, end = function->end;
    for (const char *shape = SHAPES[code[at]]; *shape; shape++) {
        if (next >= end)
            return -1;
        int number = code[next++], operands = 0, written = 0, contents = 0, fine = number >= 0;
        switch (*shape) {
        case 'd': fine = fine && number < function->slots; break;
        case 'v': fine = is_operand(self, function, number); break;
        case 'n': fine = fine && number < PyTuple_GET_SIZE(self->names); break;
        case 'o': fine = number >= -1 && number < PyTuple_GET_SIZE(self->names); break;
        case 't': fine = number >= function->entry && number < end; break;
        case 'l': fine = fine && number < function->loops; break;
        case 'u': fine = fine && number < self->inputs_count; break;
        case 'i': fine = fine && number <= GREATEST_NUMBER; break;
        case 'r':
            fine = fine && number / 2 < self->length;
            if (fine && number / 2 >= self->reads)
                self->reads = number / 2 + 1;
            break;
        case 'm': fine = fine && number <= MOST_NAMES; break;
        case 'c': operands = number; break;
        case 's': written = number; fine = fine && number > 0 && number <= MOST_NAMES; break;
        case 'x': fine = fine && number < function->contents; break;
        case 'k': contents = number; break;
        case 'y':
            fine = fine && next + 1 < end && number < function->contents && code[next] >= 0 && code[next + 1] >= 0
                && code[next + 1] <= function->contents && code[next] <= function->contents - code[next + 1];
            next += 2;
            break;
        case 'j':
            fine = fine && number < self->joins_count;
            operands = fine ? self->joins[number].count : 0;
            break;
        case 'f': {
            fine = fine && number < self->functions_count && next < end
                && code[next] == self->functions[number].parameters;
            if (!fine)
                return -1;
            for (operands = code[next++]; operands > 0; operands--, next++)
                if (next >= end || !is_operand(self, function, code[next]))
                    return -1;
            if (next >= end || code[next] < 0 || code[next] > self->functions[number].contents)
                return -1;
            contents = code[next++];
            break;
        }
        }
        if (!fine || operands > end - next || written > end - next || contents > end - next)
            return -1;
        for (; written > 0; written--, next++)
            if (code[next] < 0 || code[next] >= function->slots)
                return -1;
        for (; operands > 0; operands--, next++)
            if (!is_operand(self, function, code[next]))
                return -1;
        for (; contents > 0; contents--, next++)
            if (code[next] < 0 || code[next] >= function->contents)
                return -1;
    }
    return next;
}

/* Whether the place that a step may go on at is the beginning of one: further on, or where a loop takes its next item, so that
   nothing goes on for ever that an interrupt does not reach. */
static int leads_to_steps(const Program *self, int at, const char *begins)
{
    const char *shape = SHAPES[self->code[at]];
    if (*shape == '\0')
        return 1;
    int number = at + 1;
    for (; *shape; shape++)
        number += *shape == 'y' ? 3 : 1;
    if (shape[-1] != 't')
        return 1;
    int target = self->code[number - 1];
    return begins[target] && (target > at || (self->code[target] == NEXT && self->code[at] != NEXT));
}

/* Check the steps of a function: 0, or -1 with an exception. */
static int check_steps(Program *self, const Function *function, char *begins)
{
    int wrong = -1, last = -1;
    for (int at = function->entry, next; at < function->end && wrong < 0; last = at, at = next) {
        begins[at] = 1;
        next = after_step(self, function, at);
        if (next < 0 || next > function->end)
            wrong = at;
    }
    for (int at = function->entry; at < function->end && wrong < 0; at = after_step(self, function, at))
        if (!leads_to_steps(self, at, begins))
            wrong = at;
    if (wrong < 0 && (last < 0 || self->code[last] != LEAVE))
        wrong = function->entry;
    if (wrong < 0)
        return 0;
    PyErr_Format(PyExc_ValueError, "there is no such step at %d", wrong);
    return -1;
}

static int take_steps(Program *self)
{
    char *begins = PyMem_Calloc((size_t)self->length + 1, 1);
    if (begins == NULL) {
        PyErr_NoMemory();
        return -1;
    }
    int fine = 0;
    for (int i = 0; i < self->functions_count && fine == 0; i++)
        fine = check_steps(self, self->functions + i, begins);
    PyMem_Free(begins);
    return fine;
}

/* Take the table of functions: one after another in the code, each of sizes that there can be. */
static int take_functions(Program *self, PyObject *functions)
{
    int count = (int)PyTuple_GET_SIZE(functions);
    self->functions = PyMem_Calloc((size_t)count + 1, sizeof(Function));
    if (self->functions == NULL) {
        PyErr_NoMemory();
        return -1;
    }
    self->functions_count = count;
    for (int i = 0; i < count; i++) {
        Function *function = self->functions + i;
        PyObject *sizes = PyTuple_GET_ITEM(functions, i);
        if (!PyTuple_Check(sizes)
            || !PyArg_ParseTuple(sizes, "iiiii", &function->entry, &function->slots, &function->loops, &function->contents,
                                 &function->parameters))
            return -1;
        function->end = self->length;
        if (i)
            function[-1].end = function->entry;
        int least = i ? function[-1].entry + 1 : 0, first = i ? 0 : self->inputs_count;
        if (function->entry < least || function->entry >= self->length || (i == 0 && function->entry) || function->slots < 0
            || function->slots > MOST_SLOTS || function->loops < 0 || function->loops > MOST_SLOTS || function->contents < 0
            || function->contents > MOST_SLOTS || function->parameters < 0
            || function->parameters > function->slots - first) {
            PyErr_SetString(PyExc_ValueError, "a function has more, or less, than there can be");
            return -1;
        }
    }
    if (count)
        return 0;
    PyErr_SetString(PyExc_ValueError, "a program has a function");
    return -1;
}

static int take_joins(Program *self, PyObject *joins)
{
    Py_ssize_t count = PyTuple_GET_SIZE(joins);
    self->joins = PyMem_Calloc((size_t)count + 1, sizeof(Join));
    if (self->joins == NULL) {
        PyErr_NoMemory();
        return -1;
    }
    for (Py_ssize_t i = 0; i < count; i++, self->joins_count++)
        if (!PyTuple_Check(PyTuple_GET_ITEM(joins, i)) || make_join(self->joins + i, self->state, PyTuple_GET_ITEM(joins, i)) < 0) {
            free_join(self->joins + i);
            return -1;
        }
    return 0;
}

static int are_texts(PyObject *names)
{
    for (Py_ssize_t i = 0; i < PyTuple_GET_SIZE(names); i++)
        if (!PyUnicode_CheckExact(PyTuple_GET_ITEM(names, i)))
            return 0;
    return 1;
}

/* The same names, each of them the one that Python has for all names of this spelling. */
static PyObject *interned(PyObject *names)
{
    PyObject *result = PyTuple_New(PyTuple_GET_SIZE(names));
    for (Py_ssize_t i = 0; result != NULL && i < PyTuple_GET_SIZE(names); i++) {
        PyObject *name = Py_NewRef(PyTuple_GET_ITEM(names, i));
        PyUnicode_InternInPlace(&name);
        PyTuple_SET_ITEM(result, i, name);
    }
    return result;
}

static PyObject *numbered(PyObject *names)
{
    PyObject *numbers = PyDict_New();
    for (Py_ssize_t i = 0; numbers != NULL && i < PyTuple_GET_SIZE(names); i++) {
        PyObject *number = PyLong_FromSsize_t(i);
        if (number == NULL || PyDict_SetItem(numbers, PyTuple_GET_ITEM(names, i), number) < 0)
            Py_CLEAR(numbers);
        Py_XDECREF(number);
    }
    return numbers;
}

static int program_traverse(Program *self, visitproc visit, void *arg)
{
    for (int i = 0; self->seen != NULL && i < self->reads; i++)
        Py_VISIT(self->seen[i].type);
    Py_VISIT(self->octets);
    Py_VISIT(self->names);
    Py_VISIT(self->constants);
    Py_VISIT(self->inputs);
    Py_VISIT(self->places);
    Py_VISIT(self->fallbacks);
    Py_VISIT(self->nonce);
    Py_VISIT(self->helpers);
    Py_VISIT(self->module);
    Py_VISIT(Py_TYPE(self));
    return 0;
}

/* What could lead back to the program is let go; all else stays, for a page that is still being rendered. */
static int program_clear(Program *self)
{
    for (int i = 0; self->seen != NULL && i < self->reads; i++)
        Py_CLEAR(self->seen[i].type);
    return 0;
}

static void program_free(Program *self)
{
    PyTypeObject *type = Py_TYPE(self);
    PyObject_GC_UnTrack(self);
    program_clear(self);
    for (int i = 0; i < self->joins_count; i++)
        free_join(self->joins + i);
    PyMem_Free(self->joins);
    PyMem_Free(self->functions);
    Py_XDECREF(self->octets);
    PyMem_Free(self->seen);
    Py_XDECREF(self->names);
    Py_XDECREF(self->constants);
    Py_XDECREF(self->inputs);
    Py_XDECREF(self->places);
    Py_XDECREF(self->fallbacks);
    Py_XDECREF(self->nonce);
    Py_XDECREF(self->helpers);
    Py_XDECREF(self->module);
    PyObject_GC_Del(self);
    Py_DECREF(type);
}

PyObject *new_program(PyObject *module, State *state, PyObject *arguments)
{
    PyObject *code, *functions, *joins, *names, *constants, *inputs, *fallbacks, *nonce, *helpers;
    if (!PyArg_ParseTuple(arguments, "O!O!O!O!O!O!O!OO!", &PyBytes_Type, &code, &PyTuple_Type, &functions, &PyTuple_Type, &joins,
                          &PyTuple_Type, &names, &PyTuple_Type, &constants, &PyTuple_Type, &inputs, &PyTuple_Type, &fallbacks,
                          &nonce, &PyTuple_Type, &helpers))
        return NULL;
    Py_ssize_t length = PyBytes_GET_SIZE(code) / (Py_ssize_t)sizeof(int);
    if (length < 1 || length > INT_MAX / 8 || PyBytes_GET_SIZE(code) % (Py_ssize_t)sizeof(int) || PyTuple_GET_SIZE(constants) > INT_MAX / 8
        || PyTuple_GET_SIZE(functions) > length || PyTuple_GET_SIZE(joins) > INT_MAX / 8 || PyTuple_GET_SIZE(inputs) > MOST_SLOTS
        || PyTuple_GET_SIZE(fallbacks) != PyTuple_GET_SIZE(inputs) || PyTuple_GET_SIZE(helpers) != HELPERS
        || !PyTuple_CheckExact(PyTuple_GET_ITEM(helpers, OWN)) || !are_texts(names)
        || !are_texts(inputs)) {
        PyErr_SetString(PyExc_ValueError, "a program is not made of these tables");
        return NULL;
    }
    Program *self = PyObject_GC_New(Program, state->program);
    if (self == NULL)
        return NULL;
    memset((char *)self + sizeof(PyObject), 0, sizeof(Program) - sizeof(PyObject));
    self->state = state;
    self->module = Py_NewRef(module);
    self->length = (int)length;
    self->inputs_count = (int)PyTuple_GET_SIZE(inputs);
    self->names = interned(names);
    self->inputs = interned(inputs);
    self->constants = Py_NewRef(constants);
    self->fallbacks = Py_NewRef(fallbacks);
    self->nonce = Py_NewRef(nonce);
    self->helpers = Py_NewRef(helpers);
    self->places = self->inputs == NULL ? NULL : numbered(self->inputs);
    self->octets = Py_NewRef(code);
    self->code = (const int *)(const void *)PyBytes_AS_STRING(code);
    PyObject_GC_Track(self);
    if (PyErr_Occurred() || take_functions(self, functions) < 0 || take_joins(self, joins) < 0 || take_steps(self) < 0)
        Py_CLEAR(self);
    else if ((self->seen = PyMem_Calloc((size_t)self->reads + 1, sizeof(Seen))) == NULL) {
        PyErr_NoMemory();
        Py_CLEAR(self);
    }
    return (PyObject *)self;
}

static PyType_Slot PROGRAM_SLOTS[] = {
    {Py_tp_dealloc, program_free},
    {Py_tp_traverse, program_traverse},
    {Py_tp_clear, program_clear},
    {Py_tp_methods, PROGRAM_METHODS},
    {0, NULL},
};
static PyType_Spec PROGRAM_SPEC = {
    "untor.escape._extension.Program", sizeof(Program), 0,
    Py_TPFLAGS_DEFAULT | Py_TPFLAGS_HAVE_GC | Py_TPFLAGS_DISALLOW_INSTANTIATION | Py_TPFLAGS_IMMUTABLETYPE,
    PROGRAM_SLOTS,
};

int add_programs(PyObject *module, State *state)
{
    state->program = (PyTypeObject *)PyType_FromModuleAndSpec(module, &PROGRAM_SPEC, NULL);
    if (state->program == NULL)
        return -1;
    state->run = (PyTypeObject *)PyType_FromModuleAndSpec(module, &RUN_SPEC, NULL);
    return state->run == NULL ? -1 : 0;
}
