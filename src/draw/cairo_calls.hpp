#pragma once
// Cairo and Pango, called late.

#include <pango/pangocairo.h>

#include "draw/late_calls.hpp"

namespace sieve::draw {

#define SIEVE_LATE(name) inline const LateCall<decltype(::name)> name(DrawingLibrary::pango_cairo, #name);
SIEVE_LATE(cairo_arc)
SIEVE_LATE(cairo_create)
SIEVE_LATE(cairo_destroy)
SIEVE_LATE(cairo_fill)
SIEVE_LATE(cairo_get_source)
SIEVE_LATE(cairo_image_surface_create)
SIEVE_LATE(cairo_image_surface_get_data)
SIEVE_LATE(cairo_image_surface_get_stride)
SIEVE_LATE(cairo_line_to)
SIEVE_LATE(cairo_move_to)
SIEVE_LATE(cairo_new_path)
SIEVE_LATE(cairo_paint)
SIEVE_LATE(cairo_pattern_set_filter)
SIEVE_LATE(cairo_rectangle)
SIEVE_LATE(cairo_restore)
SIEVE_LATE(cairo_save)
SIEVE_LATE(cairo_scale)
SIEVE_LATE(cairo_set_line_width)
SIEVE_LATE(cairo_set_source_rgba)
SIEVE_LATE(cairo_set_source_surface)
SIEVE_LATE(cairo_status_to_string)
SIEVE_LATE(cairo_stroke)
SIEVE_LATE(cairo_surface_destroy)
SIEVE_LATE(cairo_surface_mark_dirty)
SIEVE_LATE(cairo_surface_write_to_png_stream)
SIEVE_LATE(cairo_translate)
SIEVE_LATE(g_object_unref)
SIEVE_LATE(pango_cairo_create_layout)
SIEVE_LATE(pango_cairo_show_layout)
SIEVE_LATE(pango_font_description_free)
SIEVE_LATE(pango_font_description_from_string)
SIEVE_LATE(pango_font_description_set_absolute_size)
SIEVE_LATE(pango_font_description_set_weight)
SIEVE_LATE(pango_layout_get_pixel_size)
SIEVE_LATE(pango_layout_set_alignment)
SIEVE_LATE(pango_layout_set_ellipsize)
SIEVE_LATE(pango_layout_set_font_description)
SIEVE_LATE(pango_layout_set_height)
SIEVE_LATE(pango_layout_set_text)
SIEVE_LATE(pango_layout_set_width)
SIEVE_LATE(pango_layout_set_wrap)
#undef SIEVE_LATE

}  // namespace sieve::draw
