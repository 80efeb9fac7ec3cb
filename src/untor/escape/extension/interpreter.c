/* The steps of programs, one after another.

   A step does what the same template's code in Python does, and calls the same functions for whatever is not most common; it
   is never done twice. A page in chunks, or one that awaits, is left at a step and goes on there. */

#include "program.h"

#define ITEMS_BETWEEN_TURNS 10000
#define FEW_ARGUMENTS 32

#define VALUE(number) ((number) >= 0 ? slots[number] : PyTuple_GET_ITEM(constants, ~(number)))

/* Let other threads and signals have their turn, as Python does between its instructions. */
static int breathe(void)
{
    Py_BEGIN_ALLOW_THREADS
    Py_END_ALLOW_THREADS
    return PyErr_CheckSignals();
}

static inline int is_awaitable(PyObject *value)
{
    PyAsyncMethods *methods = Py_TYPE(value)->tp_as_async;
    return methods != NULL && methods->am_await != NULL;
}

/* Put what a step has made into a slot: 0, or -1 when there was an exception instead. */
static inline int put(PyObject **slot, PyObject *value)
{
    if (value == NULL)
        return -1;
    Py_SETREF(*slot, value);
    return 0;
}

/* Call one of the functions in Python that were installed. */
static PyObject *slowly(State *state, int which, PyObject *first, PyObject *second, PyObject *third)
{
    if (state->slow[which] == NULL) {
        PyErr_SetString(PyExc_RuntimeError, "a function is not installed");
        return NULL;
    }
    return PyObject_CallFunctionObjArgs(state->slow[which], first, second, third, NULL);
}

/* --- environments ---------------------------------------------------------------------------------------------------- */

Environment *new_environment(const Function *function)
{
    size_t slots = (size_t)function->slots * sizeof(PyObject *), loops = (size_t)function->loops * sizeof(Cursor);
    size_t contents = (size_t)function->contents * sizeof(Content);
    Environment *environment = PyMem_Malloc(sizeof(Environment) + slots + loops + contents);
    if (environment == NULL) {
        PyErr_NoMemory();
        return NULL;
    }
    char *room = (char *)(environment + 1);
    environment->function = function;
    environment->slots = (PyObject **)room;
    environment->loops = (Cursor *)(room + slots);
    environment->contents = (Content *)(room + slots + loops);
    for (int i = 0; i < function->slots; i++)
        environment->slots[i] = Py_NewRef(Py_None);
    memset(environment->loops, 0, loops + contents);
    return environment;
}

void free_environment(Environment *environment)
{
    for (int i = 0; i < environment->function->slots; i++)
        Py_DECREF(environment->slots[i]);
    for (int i = 0; i < environment->function->loops; i++)
        Py_XDECREF(environment->loops[i].items);
    PyMem_Free(environment);
}

/* Remember where to go on: 0, or -1 with an exception when there is no more room. */
static int remember(Run *run, Activation activation)
{
    if (run->depth >= Py_GetRecursionLimit()) {
        PyErr_SetString(PyExc_RecursionError, "pieces of a page are nested too deep");
        return -1;
    }
    if (run->depth == run->room) {
        int is_first = run->stack == run->first;
        Activation *stack = PyMem_Realloc(is_first ? NULL : run->stack, 2 * (size_t)run->room * sizeof(Activation));
        if (stack == NULL) {
            PyErr_NoMemory();
            return -1;
        }
        if (is_first)
            memcpy(stack, run->first, sizeof(run->first));
        run->stack = stack;
        run->room *= 2;
    }
    run->stack[run->depth++] = activation;
    return 0;
}

/* Call a function of the page: 0, or -1 with an exception. */
static int enter(Run *run, const int *step, int at)
{
    const Program *program = run->program;
    Environment *outer = run->environment, *inner = new_environment(program->functions + step[1]);
    if (inner == NULL)
        return -1;
    PyObject **slots = outer->slots, *constants = program->constants;
    int place = 0;
    if (step[1] == 0)
        for (; place < program->inputs_count; place++)
            Py_SETREF(inner->slots[place], Py_NewRef(run->root->slots[place]));
    for (int i = 0; i < step[2]; i++)
        Py_SETREF(inner->slots[place + i], Py_NewRef(VALUE(step[3 + i])));
    const int *contents = step + 3 + step[2];
    for (int i = 0; i < contents[0]; i++)
        inner->contents[i] = outer->contents[contents[1 + i]];
    Activation back = {outer, at, at + 4 + step[2] + contents[0], 0, 0, 1};
    if (remember(run, back) < 0) {
        free_environment(inner);
        return -1;
    }
    run->environment = inner;
    return 0;
}

/* Print the content of a slot: where it begins, or -1 with an exception. */
static int enter_content(Run *run, const int *step, int at)
{
    Environment *outer = run->environment;
    Content content = outer->contents[step[1]];
    if (content.environment == NULL || step[2] > content.count) {
        PyErr_SetString(PyExc_SystemError, "there is no such content");
        return -1;
    }
    Activation back = {outer, at, at + 3 + step[2], content.first, step[2], 0};
    if (remember(run, back) < 0)
        return -1;
    for (int i = 0; i < step[2]; i++)
        content.environment->contents[content.first + i] = outer->contents[step[3 + i]];
    run->environment = content.environment;
    return content.entry;
}

/* Go on where a function or content was called: the next step; -1 when it was the page itself. */
static int leave(Run *run)
{
    if (run->depth == 0)
        return -1;
    Activation back = run->stack[--run->depth];
    Environment *left = run->environment;
    /* What is let go may run code, which must not find what is half gone. */
    run->environment = back.environment;
    if (back.owned)
        free_environment(left);
    else
        for (int i = 0; i < back.count; i++)
            left->contents[back.first + i].environment = NULL;
    return back.at;
}

/* --- reading --------------------------------------------------------------------------------------------------------- */

/* Find out how the dots of a type are read: 0, or -1 with an exception. */
static int see(const State *state, PyTypeObject *type, Seen *seen)
{
    PyObject *const sets[] = {state->direct, state->items, state->both};
    int how = BY_PYTHON;
    for (int i = 0; i < 3 && how == BY_PYTHON; i++) {
        int is_one = sets[i] == NULL ? 0 : PySet_Contains(sets[i], (PyObject *)type);
        if (is_one < 0)
            return -1;
        how = is_one ? BY_ATTRIBUTE + i : BY_PYTHON;
    }
    seen->how = how;
    /* What Python sees for the first time, it may know the next time. */
    Py_XSETREF(seen->type, how == BY_PYTHON ? NULL : (PyTypeObject *)Py_NewRef(type));
    return 0;
}

/* Look up an attribute: 1, 0 when there is none, -1 with an exception. */
static inline int look_up(PyObject *owner, PyObject *name, PyObject **value)
{
#if PY_VERSION_HEX >= 0x030D0000
    return PyObject_GetOptionalAttr(owner, name, value);
#else
    return _PyObject_LookupAttr(owner, name, value);
#endif
}

/* Look up an item: a new reference; NULL when there is none, or with an exception. */
static PyObject *item_of(PyObject *owner, PyObject *name)
{
    PyObject *value = PyObject_GetItem(owner, name);
    if (value == NULL && (PyErr_ExceptionMatches(PyExc_LookupError) || PyErr_ExceptionMatches(PyExc_TypeError)))
        PyErr_Clear();
    return value;
}

static inline PyObject *read_dot(State *state, PyObject *owner, PyObject *name, Seen *seen)
{
    PyObject *value = NULL;
    if (PyDict_CheckExact(owner))
        value = Py_XNewRef(PyDict_GetItemWithError(owner, name));
    else {
        PyTypeObject *type = Py_TYPE(owner);
        if (type != seen->type && see(state, type, seen) < 0)
            return NULL;
        int how = type == seen->type ? seen->how : BY_PYTHON;
        if (how == BY_PYTHON)
            return slowly(state, DOT, owner, name, NULL);
        int found = how == BY_ITEM ? 0 : look_up(owner, name, &value);
        if (found == 0 && how != BY_ATTRIBUTE)
            value = item_of(owner, name);
    }
    return value != NULL || PyErr_Occurred() ? value : slowly(state, NOT_THERE, owner, name, NULL);
}

/* As read_dot, for what is handed on: what can be called is looked at by Python, since it may be a method. */
static PyObject *read_data(State *state, PyObject *owner, PyObject *name, Seen *seen)
{
    PyObject *value = read_dot(state, owner, name, seen);
    if (value == NULL || Py_TYPE(value)->tp_call == NULL || PyDict_CheckExact(owner))
        return value;
    Py_SETREF(value, slowly(state, ONLY_DATA, value, owner, name));
    return value;
}

static PyObject *read_item(State *state, PyObject *owner, PyObject *index)
{
    PyObject *value = NULL;
    if (PyLong_CheckExact(index) && (PyList_CheckExact(owner) || PyTuple_CheckExact(owner))) {
        Py_ssize_t at = PyLong_AsSsize_t(index), size = Py_SIZE(owner);
        if (at == -1 && PyErr_Occurred())
            PyErr_Clear();
        else if (at >= -size && at < size) {
            at += at < 0 ? size : 0;
            return Py_NewRef(PyList_CheckExact(owner) ? PyList_GET_ITEM(owner, at) : PyTuple_GET_ITEM(owner, at));
        }
    }
    else if (PyDict_CheckExact(owner)) {
        int is_name = PyUnicode_CheckExact(index) && (PyUnicode_GET_LENGTH(index) == 0 || PyUnicode_READ_CHAR(index, 0) != '_');
        if (is_name || PyLong_CheckExact(index)) {
            value = PyDict_GetItemWithError(owner, index);
            if (value != NULL || PyErr_Occurred())
                return Py_XNewRef(value);
        }
    }
    return slowly(state, ITEM, owner, index, NULL);
}

/* Whether a value counts as true: 1 or 0; -1 with an exception. */
static inline int is_true(State *state, PyObject *value, int as_test)
{
    if (value == Py_True)
        return 1;
    if (value == Py_False || value == Py_None)
        return 0;
    if (as_test && !is_text(value) && !PyLong_CheckExact(value) && !PyList_CheckExact(value)) {
        int is_plain = state->plain == NULL ? 0 : PySet_Contains(state->plain, (PyObject *)Py_TYPE(value));
        if (is_plain < 0)
            return -1;
        if (!is_plain) {
            PyObject *asked = slowly(state, TRUTH, value, NULL, NULL);
            int found = asked == NULL ? -1 : PyObject_IsTrue(asked);
            Py_XDECREF(asked);
            return found;
        }
    }
    return PyObject_IsTrue(value);
}

/* The names that a page sees, as a dict; borrowed. */
static PyObject *scope_of(Run *run)
{
    if (run->scope == NULL) {
        PyObject *values = run->values == NULL ? PyDict_New() : Py_NewRef(run->values);
        for (Py_ssize_t i = 0; values != NULL && run->given_names != NULL && i < PyTuple_GET_SIZE(run->given_names); i++)
            if (PyDict_SetItem(values, PyTuple_GET_ITEM(run->given_names, i), run->given[i]) < 0)
                Py_CLEAR(values);
        if (values != NULL)
            run->scope = PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(run->program->helpers, MERGE), run->context, values, NULL);
        Py_XDECREF(values);
    }
    return run->scope;
}

/* Raise the exception for a name that is missing. */
static int raise_missing(Run *run, int name, int how, PyObject *names)
{
    if (how != OF_PIECE && (names = scope_of(run)) == NULL)
        return -1;
    PyObject *number = PyLong_FromLong(how), *result = NULL;
    if (number != NULL)
        result = PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(run->program->helpers, MISSING_NAME), number,
                                              PyTuple_GET_ITEM(run->program->names, name), names, NULL);
    if (result != NULL)
        PyErr_SetString(PyExc_SystemError, "a missing name was not told of");
    Py_XDECREF(number);
    Py_XDECREF(result);
    return -1;
}

/* The attribute of the page's nonce: a new reference; NULL with an exception. */
static PyObject *nonce_of(Run *run)
{
    PyObject *names = run->scope, *found = NULL;
    if (names == NULL && run->context != Py_None)
        names = PyDict_CheckExact(run->context) ? run->context : scope_of(run);
    if (names == NULL && PyErr_Occurred())
        return NULL;
    if (names != NULL && PyDict_Check(names))
        found = PyDict_GetItemWithError(names, run->program->nonce);
    if (found == NULL && PyErr_Occurred())
        return NULL;
    return found == NULL ? PyUnicode_New(0, 0) : Py_NewRef(found);
}

/* --- loops ----------------------------------------------------------------------------------------------------------- */

/* Begin a loop over a value: 0, or -1 with an exception. */
static int begin_items(State *state, Cursor *cursor, PyObject *value, int how)
{
    PyObject *items;
    if (!(how & AS_PAIRS) && (PyList_CheckExact(value) || PyTuple_CheckExact(value)))
        items = Py_NewRef(value);
    else
        items = slowly(state, how & AS_PAIRS ? PAIRS : EACH, value, NULL, NULL);
    if (items != NULL && how & AS_SIZED && !PyList_CheckExact(items) && !PyTuple_CheckExact(items))
        Py_SETREF(items, PySequence_List(items));
    if (items == NULL)
        return -1;
    cursor->kind = PyList_CheckExact(items) ? OF_LIST : PyTuple_CheckExact(items) ? OF_TUPLE : OF_ITERATOR;
    cursor->total = cursor->kind == OF_ITERATOR ? 0 : Py_SIZE(items);
    if (cursor->kind == OF_ITERATOR) {
        Py_SETREF(items, PyObject_GetIter(items));
        if (items == NULL)
            return -1;
    }
    cursor->at = cursor->count = 0;
    Py_XSETREF(cursor->items, items);
    return 0;
}

/* The next item: a new reference; NULL when there is none, or with an exception. */
static inline PyObject *next_item(Cursor *cursor)
{
    switch (cursor->kind) {
    case OF_LIST:
        if (cursor->at < PyList_GET_SIZE(cursor->items))
            return Py_NewRef(PyList_GET_ITEM(cursor->items, cursor->at++));
        break;
    case OF_TUPLE:
        if (cursor->at < PyTuple_GET_SIZE(cursor->items))
            return Py_NewRef(PyTuple_GET_ITEM(cursor->items, cursor->at++));
        break;
    case OF_ITERATOR:
        return PyIter_Next(cursor->items);
    case OF_ASYNC: {
        PyAsyncMethods *methods = Py_TYPE(cursor->items)->tp_as_async;
        if (methods != NULL && methods->am_anext != NULL)
            return methods->am_anext(cursor->items);
        PyErr_SetString(PyExc_TypeError, "an asynchronous iterator has no __anext__");
        return NULL;
    }
    }
    return NULL;
}

static void end_items(Cursor *cursor)
{
    cursor->kind = NO_ITEMS;
    Py_CLEAR(cursor->items);
}

/* A loop over what is asynchronous, in a page that awaits: 0 when it is no such thing; 1, it has begun, item by item; 2, all
   its items are to be awaited first; -1 with an exception. */
static int begin_async(Run *run, Cursor *cursor, PyObject *value, int how)
{
    PyAsyncMethods *methods = Py_TYPE(value)->tp_as_async;
    if (methods == NULL || methods->am_aiter == NULL)
        return 0;
    int is_each = run->chunks && !(how & AS_SIZED);
    PyObject *items = is_each ? methods->am_aiter(value) : slowly(run->program->state, COLLECTED, value, NULL, NULL);
    if (items == NULL)
        return -1;
    cursor->kind = is_each ? OF_ASYNC : NO_ITEMS;
    cursor->at = cursor->count = cursor->total = 0;
    Py_XSETREF(cursor->items, items);
    return is_each ? 1 : 2;
}

/* Put the two of a pair into slots: 0, or -1 with an exception. */
static int split(State *state, PyObject *pair, PyObject **first, PyObject **second)
{
    PyObject *made = NULL;
    if (!PyTuple_CheckExact(pair) || PyTuple_GET_SIZE(pair) != 2) {
        PyObject *single = PyList_New(1), *pairs = NULL, *iterator = NULL;
        if (single != NULL) {
            PyList_SET_ITEM(single, 0, Py_NewRef(pair));
            pairs = slowly(state, PAIRS, single, NULL, NULL);
        }
        iterator = pairs == NULL ? NULL : PyObject_GetIter(pairs);
        made = iterator == NULL ? NULL : PyIter_Next(iterator);
        Py_XDECREF(single);
        Py_XDECREF(pairs);
        Py_XDECREF(iterator);
        if (made != NULL && (!PyTuple_CheckExact(made) || PyTuple_GET_SIZE(made) != 2))
            Py_CLEAR(made);
        if (made == NULL) {
            if (!PyErr_Occurred())
                PyErr_SetString(PyExc_SystemError, "a pair is not one");
            return -1;
        }
        pair = made;
    }
    PyObject *one = Py_NewRef(PyTuple_GET_ITEM(pair, 0)), *other = Py_NewRef(PyTuple_GET_ITEM(pair, 1));
    Py_XDECREF(made);
    Py_SETREF(*first, one);
    Py_SETREF(*second, other);
    return 0;
}

static PyObject *position(const Cursor *cursor, int what)
{
    Py_ssize_t index = cursor->count - 1;
    switch (what) {
    case OF_INDEX: return PyLong_FromSsize_t(index);
    case OF_NUMBER: return PyLong_FromSsize_t(cursor->count);
    case OF_FIRST: return PyBool_FromLong(index == 0);
    case OF_ODD: return PyBool_FromLong((index & 1) == 0);
    case OF_EVEN: return PyBool_FromLong(index & 1);
    default: return PyLong_FromSsize_t(cursor->total);
    }
}

/* --- calculating ----------------------------------------------------------------------------------------------------- */

static PyObject *compare(PyObject *left, PyObject *right, int how)
{
    if (how == IS || how == IS_NOT)
        return PyBool_FromLong((left == right) == (how == IS));
    if (how == IN || how == NOT_IN) {
        int found = PySequence_Contains(right, left);
        return found < 0 ? NULL : PyBool_FromLong(found == (how == IN));
    }
    return PyObject_RichCompare(left, right, how);
}

static PyObject *binary(PyObject *left, PyObject *right, int how)
{
    switch (how) {
    case ADDED: return PyNumber_Add(left, right);
    case SUBTRACTED: return PyNumber_Subtract(left, right);
    case MULTIPLIED: return PyNumber_Multiply(left, right);
    case DIVIDED: return PyNumber_TrueDivide(left, right);
    default: return PyNumber_FloorDivide(left, right);
    }
}

static PyObject *unary(PyObject *value, int how)
{
    if (how == NOT) {
        int found = PyObject_IsTrue(value);
        return found < 0 ? NULL : PyBool_FromLong(!found);
    }
    return how == MINUS ? PyNumber_Negative(value) : PyNumber_Positive(value);
}

static int are_names(PyObject *names, int most)
{
    if (!PyTuple_CheckExact(names) || PyTuple_GET_SIZE(names) > most)
        return 0;
    for (Py_ssize_t i = 0; i < PyTuple_GET_SIZE(names); i++)
        if (!PyUnicode_CheckExact(PyTuple_GET_ITEM(names, i)))
            return 0;
    return 1;
}

static PyObject *call(PyObject **slots, PyObject *constants, const int *step)
{
    PyObject *few[FEW_ARGUMENTS + 1], **arguments = few, *names = VALUE(step[3]);
    int count = step[5];
    if (names == Py_None)
        names = NULL;
    else if (!are_names(names, count)) {
        PyErr_SetString(PyExc_SystemError, "the names of arguments are text");
        return NULL;
    }
    if (count > FEW_ARGUMENTS && (arguments = PyMem_Malloc(((size_t)count + 1) * sizeof(PyObject *))) == NULL)
        return PyErr_NoMemory();
    for (int i = 0; i < count; i++)
        arguments[1 + i] = VALUE(step[6 + i]);
    Py_ssize_t named = names == NULL ? 0 : PyTuple_GET_SIZE(names);
    PyObject *function = Py_NewRef(VALUE(step[2]));
    PyObject *result = PyObject_Vectorcall(function, arguments + 1, (size_t)(count - named) | PY_VECTORCALL_ARGUMENTS_OFFSET, names);
    Py_DECREF(function);
    if (arguments != few)
        PyMem_Free(arguments);
    return result;
}

static PyObject *pack(PyObject **slots, PyObject *constants, const int *step)
{
    int count = step[3];
    if (step[2] == AS_DICT) {
        PyObject *made = PyDict_New();
        for (int i = 0; made != NULL && i + 1 < count; i += 2)
            if (PyDict_SetItem(made, VALUE(step[4 + i]), VALUE(step[5 + i])) < 0)
                Py_CLEAR(made);
        return made;
    }
    PyObject *made = step[2] == AS_LIST ? PyList_New(count) : PyTuple_New(count);
    for (int i = 0; made != NULL && i < count; i++) {
        PyObject *item = Py_NewRef(VALUE(step[4 + i]));
        if (step[2] == AS_LIST)
            PyList_SET_ITEM(made, i, item);
        else
            PyTuple_SET_ITEM(made, i, item);
    }
    return made;
}

/* What is called, if it may be: a new reference, or NULL with an exception. */
static PyObject *callee(const Program *program, PyObject *value, PyObject *words)
{
    PyObject *own = PyTuple_GET_ITEM(program->helpers, OWN);
    int is_known = PyFunction_Check(value);
    for (Py_ssize_t i = 0; !is_known && i < PyTuple_GET_SIZE(own); i++)
        is_known = PyTuple_GET_ITEM(own, i) == value;
    if (is_known)
        return Py_NewRef(value);
    return PyObject_CallFunctionObjArgs(PyTuple_GET_ITEM(program->helpers, CALLABLE), value, words, NULL);
}

/* Whether a value is of a type that is taken, at a glance. */
static inline int is_of_kind(PyObject *value, int kind)
{
    switch (kind) {
    case TEXT_ONLY: return PyUnicode_CheckExact(value);
    case WHOLE: return PyLong_CheckExact(value);
    case NUMBER: return PyFloat_CheckExact(value) || PyLong_CheckExact(value);
    case TRUTH_ONLY: return PyBool_Check(value);
    case SEQUENCE: return PyList_CheckExact(value) || PyTuple_CheckExact(value);
    case MAPPING: return PyDict_CheckExact(value);
    default: return 0;
    }
}

/* --- waiting --------------------------------------------------------------------------------------------------------- */

/* Let the values of a step that can be awaited be so, all at once: how many there are. */
static int wait_for(Run *run, const Join *join, const int *operands, PyObject **slots)
{
    run->waits = 0;
    for (int i = 0; i < join->count; i++) {
        if (operands[i] < 0 || join->kinds[i] == '=' || !is_awaitable(slots[operands[i]]))
            continue;
        int is_there = 0;
        for (int each = 0; each < run->waits; each++)
            is_there |= run->waiting[each] == slots + operands[i];
        if (!is_there)
            run->waiting[run->waits++] = slots + operands[i];
    }
    return run->waits;
}

PyObject *run_awaited(Run *run)
{
    if (run->waits == 1)
        return Py_NewRef(*run->waiting[0]);
    PyObject *all = PyList_New(run->waits);
    for (int i = 0; all != NULL && i < run->waits; i++)
        PyList_SET_ITEM(all, i, Py_NewRef(*run->waiting[i]));
    return all;
}

int run_take(Run *run, PyObject *values)
{
    if (run->waits > 1 && (!PyList_CheckExact(values) || PyList_GET_SIZE(values) != run->waits)) {
        PyErr_SetString(PyExc_ValueError, "there are as many values as were awaited");
        return -1;
    }
    for (int i = 0; i < run->waits; i++)
        Py_SETREF(*run->waiting[i], Py_NewRef(run->waits == 1 ? values : PyList_GET_ITEM(values, i)));
    run->awaited = run->waits > 0 && run->again;
    run->waits = run->again = 0;
    return 0;
}

int run_end_items(Run *run)
{
    const int *step = run->program->code + run->which;
    if (run->waits != 1 || step[0] != NEXT || run->at != run->which + 4
        || run->environment->loops[step[1]].kind != OF_ASYNC)
        return 0;
    Py_SETREF(*run->waiting[0], Py_NewRef(Py_None));
    end_items(run->environment->loops + step[1]);
    run->waits = 0;
    run->at = step[3];
    return 1;
}

/* --- all steps ------------------------------------------------------------------------------------------------------- */

/* Leave the page until the value of a slot has been awaited, if it is to be. */
#define WAIT_HERE(slot, wait, next)                                  \
    if (run->awaits && (wait) && is_awaitable(*(slot))) {            \
        run->waiting[0] = (slot);                                    \
        run->waits = 1;                                              \
        run->again = (next) == at && step == code + at;              \
        run->at = (next);                                            \
        return WAITING;                                              \
    }

int run_on(Run *run)
{
    const Program *program = run->program;
    const int *code = program->code;
    State *state = program->state;
    PyObject *constants = program->constants, *missing = state->missing;
    PyObject **slots = run->environment->slots;
    int at = run->at;
    for (;;) {
        const int *step = code + at;
        switch (step[0]) {
        case WRITE: {
            const Join *join = program->joins + step[1];
            if (run->awaits && !run->awaited && wait_for(run, join, step + 2, slots)) {
                run->again = 1;
                run->at = at;
                return WAITING;
            }
            run->awaited = 0;
            PyObject *values[MOST_VALUES];
            for (int i = 0; i < join->count; i++)
                values[i] = VALUE(step[2 + i]);
            if (!write_quickly_to(&run->page, join, values)) {
                int failed = write_values(&run->page, join, values);
                if (failed >= 0) {
                    run->at = at;
                    run->which = at + 2 + failed;
                    return BROKEN;
                }
            }
            at += 2 + join->count;
            break;
        }
        case READ:
        case READ_DATA: {
            PyObject *owner = VALUE(step[2]), *name = PyTuple_GET_ITEM(program->names, step[3]);
            PyObject *value = step[0] == READ ? read_dot(state, owner, name, program->seen + at)
                                              : read_data(state, owner, name, program->seen + at);
            if (put(slots + step[1], value) < 0)
                goto broken;
            at += 5;
            WAIT_HERE(slots + step[1], step[4], at)
            break;
        }
        case READ_ITEM:
            if (put(slots + step[1], read_item(state, VALUE(step[2]), VALUE(step[3]))) < 0)
                goto broken;
            at += 5;
            WAIT_HERE(slots + step[1], step[4], at)
            break;
        case NEED:
            if (step[2] >= 0 && slots[step[1]] == missing) {
                raise_missing(run, step[2], step[3], VALUE(step[4]));
                goto broken;
            }
            at += 6;
            WAIT_HERE(slots + step[1], step[5], at)
            break;
        case INPUT: {
            PyObject **input = run->root->slots + step[2];
            if (step[3] >= 0 && *input == missing) {
                raise_missing(run, step[3], OF_SCOPE, NULL);
                goto broken;
            }
            if (!run->awaited)
                WAIT_HERE(input, step[4], at)
            run->awaited = 0;
            Py_SETREF(slots[step[1]], Py_NewRef(*input));
            at += 5;
            break;
        }
        case COPY:
            Py_SETREF(slots[step[1]], Py_NewRef(VALUE(step[2])));
            at += 3;
            break;
        case JUMP:
            at = step[1];
            break;
        case TEST: {
            int found = is_true(state, VALUE(step[1]), step[2]);
            if (found < 0)
                goto broken;
            at = found ? at + 4 : step[3];
            break;
        }
        case ABSENT: {
            PyObject *value = VALUE(step[1]);
            at = value == Py_None || value == missing ? step[2] : at + 3;
            break;
        }
        case GIVEN:
            at = VALUE(step[1]) != missing ? step[2] : at + 3;
            break;
        case ITEMS: {
            Cursor *cursor = run->environment->loops + step[1];
            PyObject *value = VALUE(step[2]);
            int begun = 0;
            if (run->awaited) {
                run->awaited = 0;
                value = cursor->items;
            }
            else if (run->awaits && (begun = begin_async(run, cursor, value, step[3])) != 0) {
                if (begun < 0)
                    goto broken;
                if (begun == 2) {
                    run->waiting[0] = &cursor->items;
                    run->waits = run->again = 1;
                    run->at = at;
                    return WAITING;
                }
            }
            if (!begun) {
                Py_INCREF(value);
                int fine = begin_items(state, cursor, value, step[3]);
                Py_DECREF(value);
                if (fine < 0)
                    goto broken;
            }
            at += 4;
            break;
        }
        case NEXT: {
            Cursor *cursor = run->environment->loops + step[1];
            if (++run->turns % ITEMS_BETWEEN_TURNS == 0) {
                if (run->awaits) {
                    run->at = at;
                    return TURN;
                }
                if (breathe() < 0)
                    goto broken;
            }
            PyObject *item = next_item(cursor);
            if (item == NULL) {
                if (PyErr_Occurred())
                    goto broken;
                end_items(cursor);
                at = step[3];
                break;
            }
            Py_SETREF(slots[step[2]], item);
            run->which = at;
            at += 4;
            WAIT_HERE(slots + step[2], 1, at)
            break;
        }
        case COUNT:
            run->environment->loops[step[1]].count++;
            at += 2;
            break;
        case EMPTY:
            at = run->environment->loops[step[1]].count ? step[2] : at + 3;
            break;
        case SPLIT:
            if (split(state, VALUE(step[1]), slots + step[2], slots + step[3]) < 0)
                goto broken;
            at += 4;
            break;
        case POSITION:
            if (put(slots + step[1], position(run->environment->loops + step[2], step[3])) < 0)
                goto broken;
            at += 4;
            break;
        case CALL:
            if (put(slots + step[1], call(slots, constants, step)) < 0)
                goto broken;
            at += 6 + step[5];
            WAIT_HERE(slots + step[1], step[4], at)
            break;
        case CALLEE:
            if (put(slots + step[1], callee(program, VALUE(step[2]), VALUE(step[3]))) < 0)
                goto broken;
            at += 4;
            break;
        case CHECK:
            if (!is_of_kind(slots[step[1]], step[6])
                && put(slots + step[1], PyObject_CallFunctionObjArgs(VALUE(step[2]), slots[step[1]], VALUE(step[3]), VALUE(step[4]),
                                                                     VALUE(step[5]), NULL)) < 0)
                goto broken;
            at += 7;
            break;
        case COMPARE:
            if (put(slots + step[1], compare(VALUE(step[2]), VALUE(step[3]), step[4])) < 0)
                goto broken;
            at += 5;
            break;
        case BINARY:
            if (put(slots + step[1], binary(VALUE(step[2]), VALUE(step[3]), step[4])) < 0)
                goto broken;
            at += 5;
            break;
        case UNARY:
            if (put(slots + step[1], unary(VALUE(step[2]), step[3])) < 0)
                goto broken;
            at += 4;
            break;
        case PACK:
            if (put(slots + step[1], pack(slots, constants, step)) < 0)
                goto broken;
            at += 4 + step[3];
            break;
        case ADD:
            if (PyList_Append(VALUE(step[1]), VALUE(step[2])) < 0)
                goto broken;
            at += 3;
            break;
        case PRINT: {
            PyObject *value = VALUE(step[2]);
            if (put(slots + step[1], is_text(value) ? Py_NewRef(value) : slowly(state, PRINTED, value, NULL, NULL)) < 0)
                goto broken;
            at += 3;
            break;
        }
        case ENTER:
            if ((++run->turns % ITEMS_BETWEEN_TURNS == 0 && breathe() < 0) || enter(run, step, at) < 0)
                goto broken;
            at = program->functions[step[1]].entry;
            slots = run->environment->slots;
            break;
        case LEAVE:
            at = leave(run);
            if (at < 0)
                return DONE;
            slots = run->environment->slots;
            break;
        case CONTENT: {
            Content content = {run->environment, at + 5, step[2], step[3]};
            run->environment->contents[step[1]] = content;
            at = step[4];
            break;
        }
        case SLOT: {
            int entry = enter_content(run, step, at);
            if (entry < 0)
                goto broken;
            at = entry;
            slots = run->environment->slots;
            break;
        }
        case COLLECT:
            Py_CLEAR(run->collected);
            if (step[2]) {
                if (put(slots + step[1], PyList_New(0)) < 0)
                    goto broken;
                run->collected = Py_NewRef(slots[step[1]]);
            }
            at += 3;
            break;
        case PIECE:
            if (run->collected == NULL)
                PyErr_SetString(PyExc_SystemError, "no URL is collected");
            if (run->collected == NULL || PyList_Append(run->collected, VALUE(step[1])) < 0)
                goto broken;
            at += 2;
            break;
        case NONCE:
            if (put(slots + step[1], nonce_of(run)) < 0)
                goto broken;
            at += 2;
            break;
        case SEND:
            at += 2;
            if (run->chunks && run->collected == NULL && run->page.length >= (step[1] ? 1 : SHORTEST_CHUNK)) {
                run->at = at;
                return CHUNK;
            }
            break;
        default:
            PyErr_SetString(PyExc_SystemError, "there is no such step");
            goto broken;
        }
    }
broken:
    run->at = run->which = at;
    return BROKEN;
}
