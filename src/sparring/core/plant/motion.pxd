# The types with which motion.py is compiled.

cdef double _REST, _STILL, _SETTLING, _BINDING, _FINEST
cdef int SPEED, ANGLE, HEIGHT, RISE, TEMPERATURE, ENERGY, ENERGIES, BROKEN, WORN, IMPACT, SLIPPED, WARMED, SIZE

cdef class Motion:
    cdef double _k, _friction, _inertia, _ratio, _radius, _mass, _up, _up_offset, _down, _down_offset
    cdef double _heat_capacity, _heat_resistance, _ambient, _between, _shared, _r_slope, _r_zero, _r_circuit
    cdef double _current_limit, _stiffness, _damping, _per_angle, _play, _weight, _reach, _lean
    cdef double _generates, _load_circuit, _resistor, _viscous, _drag, _grip, _grip_rest, _fade, _body_heat
    cdef double _traction, _bearing, _bind, _bind_from, _wear_rate, _strength, _runout, _cell_arm
    cdef double _volts, _feed, _tightened, _force, _elastic, _rate, _radius_now
    cdef bint _leans, _rubs, _pushes, _ratchet, _slips, _lets_go, _one_way, _binds, _wears, _breaks, _uneven
    cdef bint _opened, _sticks
    cdef int _integrated
    cdef double[::1] _waves, _state, _stage, _after, _k1, _k2, _k3, _k4

    cpdef void drive(self, double volts, bint opened, double tightened)
    cpdef void advance(self, double[::1] lane, double duration, double dt, bint account)
    cpdef double unevenness(self, double angle)
    cpdef double wound(self, double angle)
    cpdef double resistance(self, double temperature)
    cpdef double raised(self, double height)
    cpdef double stored(self, double[::1] lane)
    cpdef void tell(self, double[::1] lane, double[::1] out)
    cdef void _go(self, double duration, double dt) noexcept
    cdef double _radius_at(self, double angle) noexcept
    cdef double _stretch(self, double angle, double height) noexcept
    cdef void _cord(self, double angle, double speed, double height, double rise) noexcept
    cdef double _current(self, double speed, double temperature) noexcept
    cdef double _terminal(self, double current, double speed, double temperature) noexcept
    cdef void _rates(self, double[::1] y, double[::1] dy) noexcept
    cdef double _grips(self) noexcept
    cdef double _rubbed(self, double pull, double rise) noexcept
    cdef void _step(self, double h) noexcept
    cdef void _halt(self) noexcept
    cdef double _sprung(self) noexcept
    cdef void _let_go(self) noexcept
    cdef void _come_to_rest(self, double h) noexcept
