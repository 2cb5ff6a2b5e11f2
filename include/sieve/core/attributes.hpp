#pragma once
/// What compilers are told beside the language: which types own, which only look, and what a shared library shows.

/// A type that owns samples, one that looks at samples of somebody else, and a result that looks into its object: Clang
/// warns where such a look would outlive what it looks at. Other compilers see nothing here.
#if defined(__clang__)
#define SIEVE_OWNER [[gsl::Owner(float)]]
#define SIEVE_POINTER [[gsl::Pointer(float)]]
#define SIEVE_LOOKS_INTO [[clang::lifetimebound]]
#else
#define SIEVE_OWNER
#define SIEVE_POINTER
#define SIEVE_LOOKS_INTO
#endif

/// Stands before the name of a namespace whose declarations a shared library shows; everything else is hidden there.
#define SIEVE_EXPORT [[gnu::visibility("default")]]
