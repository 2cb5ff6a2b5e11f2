#pragma once
/// What a filter says of itself, and its parameters as text.

#include "sieve/describe/description.hpp"
#include "sieve/describe/device_form.hpp"
#include "sieve/describe/numbers.hpp"
#include "sieve/describe/parameter.hpp"
#include "sieve/describe/resources.hpp"
#include "sieve/describe/row_operation.hpp"
#include "sieve/describe/shared_image.hpp"
#include "sieve/describe/stage.hpp"
#include "sieve/describe/step.hpp"
#include "sieve/describe/words.hpp"
