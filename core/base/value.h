// Values whose copies are compiled once.
//
// A struct with many members costs every source file that copies or drops one a second or more of
// compilation: the compiler writes its constructors and destructor anew in each. These two lines
// put them into one source file instead.

#pragma once

/// Inside a struct: declares what the compiler would write by itself.
#define FLENTRO_DECLARE_VALUE(Type)   \
    Type();                           \
    Type(const Type&);                \
    Type(Type&&) noexcept;            \
    Type& operator=(const Type&);     \
    Type& operator=(Type&&) noexcept; \
    ~Type()

/// In one source file: defines it, as the compiler would.
#define FLENTRO_DEFINE_VALUE(Type)                    \
    Type::Type() = default;                           \
    Type::Type(const Type&) = default;                \
    Type::Type(Type&&) noexcept = default;            \
    Type& Type::operator=(const Type&) = default;     \
    Type& Type::operator=(Type&&) noexcept = default; \
    Type::~Type() = default
