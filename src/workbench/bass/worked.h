#pragma once

#include "workbench/results/take_results.h"

/// Curves that are worked out of other takes: "join" of near and far field, "near-sum" of near
/// fields alone, "power-mean" and "complex-mean".
namespace lalometer {

/// The near fields that a join is made of, by themselves: the join is dragged over them without
/// their sum being made again.
[[nodiscard]] Node<NearFields> near_fields_node(const std::vector<TakeInputs>& near,
                                                const std::shared_ptr<const SubjectGeometry>& drawn,
                                                const std::string& drawing, double listener_m,
                                                const std::string& where);

/// Precondition: inputs.take.form is kWorked. Its parts are the takes it names; one that is not in
/// the book any more is an error that says so.
[[nodiscard]] Node<Analysis> worked_node(const TakeInputs& inputs);

/// What a new take of that kind is, before its numbers: name, place, drive. An error where these
/// takes make none: a join needs a near field of a cone and one far field, all of one variant.
[[nodiscard]] Result<Take> worked_take(const std::string& how, const std::vector<Take>& of);

/// A take of a book worked out, with what it is made of.
[[nodiscard]] Result<Analysis> analysis_from(const Book& book, const Take& take,
                                             const std::stop_token& stop = {});

/// All that a take's results depend on, from a book.
[[nodiscard]] Result<TakeInputs> inputs_from(const Book& book, const Take& take);

}  // namespace lalometer
