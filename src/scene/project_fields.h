// The fields of every struct of the scene, by the names of the project file (docs/project-format.md). A new field is a
// line here and one there.
#pragma once
#include "scene/scene.h"

namespace vemtra::scene {

template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Node> {
    a("id", s.id);
    a("kind", s.kind);
    a("type", s.type);
    a("name", s.name);
    a.some("network", s.network);
    a("inputs", s.inputs);
    a.some("held", s.held);
    a.some("bypassed", s.bypassed);
    a.some("laid_open", s.laid_open);
    a.some("words_from", s.words_from);
    a.some("note", s.note);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, NetworkInput> {
    a("name", s.name);
    a("type", s.type);
    a("value", s.value);
    a.some("help", s.help);
}
template <class A>
void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, NetworkOutput> {
    a("name", s.name);
    a("type", s.type);
    a("input", s.input);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Network> {
    a("id", s.id);
    a("name", s.name);
    a.some("help", s.help);
    a("inputs", s.inputs);
    a("outputs", s.outputs);
    a("nodes", s.nodes);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Placement> {
    a("position", s.position);
    a("rotation", s.rotation);
    a("scale", s.scale);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Gate> {
    a("mask", s.mask);
    a("amount", s.amount);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Pin> {
    a.some("part", s.part);
    a("position", s.position);
    a("axis", s.axis);
    a("turn", s.turn);
    a("size", s.size);
    a.some("mirrored", s.mirrored);
    a.some("cell", s.cell);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Decal> {
    a("pins", s.pins);
    a("lies", s.lies);
    a.some("through", s.through);
    a.some("repeats", s.repeats);
    a.some("weathers", s.weathers);
    a("steep", s.steep);
    a("columns", s.columns);
    a("rows", s.rows);
    a.some("print", s.print);
    a.some("lip", s.lip);
    a("lip_width", s.lip_width);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Sheet> {
    a("tile", s.tile);
    a("size", s.size);
    a.some("part", s.part);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Painting> {
    a("id", s.id);
    a("name", s.name);
    a("type", s.type);
    a("size", s.size);
    a("texel", s.texel);
    a("file", s.file);
    a("sheets", s.sheets);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Layer> {
    a("id", s.id);
    a("name", s.name);
    a("kind", s.kind);
    a("build_up", s.build_up);
    a("on", s.on);
    a("amount", s.amount);
    a("gate", s.gate);
    a("surface", s.surface);
    a("nodes", s.nodes);
    a.some("note", s.note);
    a.some("decal", s.decal);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, BuildUp> {
    a("id", s.id);
    a("name", s.name);
    a("layers", s.layers);
    a("commons", s.commons);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Asset> {
    a("id", s.id);
    a("file", s.file);
    a("scale", s.scale);
    a("up", s.up);
    a("placement", s.placement);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Part> {
    a("id", s.id);
    a("asset", s.asset);
    a("source", s.source);
    a("name", s.name);
    a("build_up", s.build_up);
    a("visible", s.visible);
    a("priority", s.priority);
    a.some("flat", s.flat);
    a.some("subdivision", s.subdivision);
    a.some("hard_edges", s.hard_edges);
    a.some("round", s.round);
    a("placement", s.placement);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Environment> {
    a("on", s.on);
    a("image", s.image);
    a("rotation", s.rotation);
    a("exposure", s.exposure);
    a("tint", s.tint);
    a("seen", s.seen);
    a("backdrop", s.backdrop);
    a("group", s.group);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Light> {
    a("id", s.id);
    a("name", s.name);
    a("shape", s.shape);
    a("on", s.on);
    a("position", s.position);
    a("target", s.target);
    a("size", s.size);
    a("color", s.color);
    a("intensity", s.intensity);
    a("exposure", s.exposure);
    a("seen", s.seen);
    a("group", s.group);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, LightGroup> {
    a("name", s.name);
    a("on", s.on);
    a("exposure", s.exposure);
    a("tint", s.tint);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Stage> {
    a("on", s.on);
    a("color", s.color);
    a("roughness", s.roughness);
    a("height", s.height);
    a("fade_start", s.fade_start);
    a("fade_end", s.fade_end);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Rig> {
    a("id", s.id);
    a("name", s.name);
    a("environment", s.environment);
    a("lights", s.lights);
    a("groups", s.groups);
    a("stage", s.stage);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Camera> {
    a("id", s.id);
    a("name", s.name);
    a("position", s.position);
    a("target", s.target);
    a("focal_length", s.focal_length);
}
template <class A>
void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, RenderSettings> {
    a("width", s.width);
    a("height", s.height);
    a("samples", s.samples);
    a("seed", s.seed);
    a("depth", s.depth);
    a("clamp", s.clamp);
    a("preview_clamp", s.preview_clamp);
    a("relief_pixels", s.relief_pixels);
    a("relief_points", s.relief_points);
    a("noise", s.noise);
    a("smooth", s.smooth);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Display> {
    a("view", s.view);
    a("exposure", s.exposure);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, KeptValue> {
    a("name", s.name);
    a("color", s.color);
    a("roughness", s.roughness);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Scene> {
    a("name", s.name);
    a("assets", s.assets);
    a("parts", s.parts);
    a("build_ups", s.build_ups);
    a.some("networks", s.networks);
    a.some("paintings", s.paintings);
    a("rigs", s.rigs);
    a("cameras", s.cameras);
    a("rig", s.rig);
    a("camera", s.camera);
    a("render", s.render);
    a("display", s.display);
    a("kept_values", s.kept_values);
    a("search_folders", s.search_folders);
}

}  // namespace vemtra::scene
