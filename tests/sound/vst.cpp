// SPDX-License-Identifier: GPL-3.0-or-later
// Two plugins of the VST3 interface (pluginterfaces 3.7): an effect that is a gain and says 100 frames of latency, and
// an instrument of one sine and its octave. A window of theirs turns the first control to 0.75 as a hand would.
#include "pluginterfaces/base/ipluginbase.h"
#include "pluginterfaces/gui/iplugview.h"
#include "pluginterfaces/vst/ivstaudioprocessor.h"
#include "pluginterfaces/vst/ivstcomponent.h"
#include "pluginterfaces/vst/ivsteditcontroller.h"
#include "pluginterfaces/vst/ivstevents.h"
#include "pluginterfaces/vst/ivstparameterchanges.h"
#include "pluginterfaces/base/ibstream.h"
#include <dlfcn.h>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <vector>
using namespace Steinberg;
using namespace Steinberg::Vst;
#define KNOWN(type) if (FUnknownPrivate::iidEqual(iid, type::iid)) { addRef(); *obj = static_cast<type*>(this); return kResultOk; }
#define COUNTED uint32 refs = 1; uint32 PLUGIN_API addRef() override { return ++refs; } \
  uint32 PLUGIN_API release() override { if (--refs) return refs; delete this; return 0; }
namespace Steinberg {
const FUID FUnknown::iid(FUnknown_iid), IPluginBase::iid(IPluginBase_iid), IPluginFactory::iid(IPluginFactory_iid), IPlugView::iid(IPlugView_iid);
namespace Linux { const FUID IRunLoop::iid(IRunLoop_iid), ITimerHandler::iid(ITimerHandler_iid); }
namespace Vst { const FUID IComponent::iid(IComponent_iid), IAudioProcessor::iid(IAudioProcessor_iid), IEditController::iid(IEditController_iid); }
}
static void wide(char16* to, const char* from) { do *to++ = (char16)*from; while (*from++); }
enum { COUNT = 7 };
static const char* names[COUNT] = {"Level", "Cutoff", "Mode", "On", "Time", "Drive", "Bypass"};
static const char* units[COUNT] = {"dB", "Hz", "", "", "ms", "", ""};
static const int steps[COUNT] = {0, 0, 2, 1, 0, 0, 1};
static const double start[COUNT] = {60.0 / 66.0, 0.5, 0.5, 1.0, 0.5, 0.25, 0.0};
static const char* modes[3] = {"Low", "Band", "High"};
static double plain(int key, double n) {
  switch (key) { case 0: return -60 + 66 * n; case 1: return 20 * std::pow(1000.0, n); case 4: return 2000 * n * n; default: return n; }
}
struct View : IPlugView, Linux::ITimerHandler {
  COUNTED
  IComponentHandler* hand; IPlugFrame* frame = nullptr; Linux::IRunLoop* loop = nullptr; IEditController* owner;
  View(IComponentHandler* h, IEditController* o) : hand(h), owner(o) {}
  tresult PLUGIN_API queryInterface(const TUID iid, void** obj) override { KNOWN(IPlugView) KNOWN(Linux::ITimerHandler) *obj = nullptr; return kNoInterface; }
  static void draw(unsigned long parent) {  // a window of its own inside the host's, as X11 plugins have
    void* x = dlopen("libX11.so.6", RTLD_NOW); if (!x) return;
    auto open = (void* (*)(const char*))dlsym(x, "XOpenDisplay"); auto flush = (int (*)(void*))dlsym(x, "XFlush");
    auto make = (unsigned long (*)(void*, unsigned long, int, int, unsigned, unsigned, unsigned, unsigned long, unsigned long))dlsym(x, "XCreateSimpleWindow");
    auto map = (int (*)(void*, unsigned long))dlsym(x, "XMapWindow"); void* display = open(nullptr);
    map(display, make(display, parent, 0, 0, 300, 120, 0, 0, 0x336677)); flush(display); }
  tresult PLUGIN_API isPlatformTypeSupported(FIDString) override { return kResultTrue; }
  tresult PLUGIN_API attached(void* parent, FIDString) override { draw((unsigned long)parent);
    if (frame && frame->queryInterface(Linux::IRunLoop::iid, (void**)&loop) == kResultOk) loop->registerTimer(this, 100);
    return kResultOk; }
  void PLUGIN_API onTimer() override { if (!loop) return; loop->unregisterTimer(this); loop = nullptr;
    hand->beginEdit(0); owner->setParamNormalized(0, 0.75); hand->performEdit(0, 0.75); hand->endEdit(0); }
  tresult PLUGIN_API removed() override { if (loop) loop->unregisterTimer(this); return kResultOk; }
  tresult PLUGIN_API onWheel(float) override { return kResultFalse; }
  tresult PLUGIN_API onKeyDown(char16, int16, int16) override { return kResultFalse; }
  tresult PLUGIN_API onKeyUp(char16, int16, int16) override { return kResultFalse; }
  tresult PLUGIN_API getSize(ViewRect* r) override { *r = ViewRect(0, 0, 300, 120); return kResultOk; }
  tresult PLUGIN_API onSize(ViewRect*) override { return kResultOk; }
  tresult PLUGIN_API onFocus(TBool) override { return kResultOk; }
  tresult PLUGIN_API setFrame(IPlugFrame* f) override { frame = f; return kResultOk; }
  tresult PLUGIN_API canResize() override { return kResultFalse; }
  tresult PLUGIN_API checkSizeConstraint(ViewRect*) override { return kResultOk; }
};
struct Plug : IComponent, IAudioProcessor, IEditController {
  COUNTED
  bool plays; double rate = 48000, phase = 0, hz = 0, own = 0; double now[COUNT]; IComponentHandler* hand = nullptr;
  std::vector<float> late[2]; size_t at = 0; int frames = 0;
  explicit Plug(bool p) : plays(p) { std::memcpy(now, start, sizeof now); for (auto& side : late) side.assign(100, 0.f); }
  tresult PLUGIN_API queryInterface(const TUID iid, void** obj) override { KNOWN(IComponent) KNOWN(IAudioProcessor) KNOWN(IEditController)
    if (FUnknownPrivate::iidEqual(iid, FUnknown::iid) || FUnknownPrivate::iidEqual(iid, IPluginBase::iid)) { addRef(); *obj = static_cast<IComponent*>(this); return kResultOk; }
    *obj = nullptr; return kNoInterface; }
  tresult PLUGIN_API initialize(FUnknown*) override { std::printf("a plugin prints\n"); std::fflush(stdout); return kResultOk; }
  tresult PLUGIN_API terminate() override { return kResultOk; }
  tresult PLUGIN_API getControllerClassId(TUID) override { return kNotImplemented; }
  tresult PLUGIN_API setIoMode(IoMode) override { return kResultOk; }
  int32 PLUGIN_API getBusCount(MediaType t, BusDirection d) override { return t == kAudio ? (d == kOutput || !plays) : plays && d == kInput; }
  tresult PLUGIN_API getBusInfo(MediaType t, BusDirection d, int32, BusInfo& b) override {
    b.mediaType = t; b.direction = d; b.channelCount = t == kAudio ? 2 : 16; wide(b.name, "Main"); b.busType = kMain; b.flags = BusInfo::kDefaultActive; return kResultOk; }
  tresult PLUGIN_API getRoutingInfo(RoutingInfo&, RoutingInfo&) override { return kNotImplemented; }
  tresult PLUGIN_API activateBus(MediaType, BusDirection, int32, TBool) override { return kResultOk; }
  tresult PLUGIN_API setActive(TBool) override { hz = 0; return kResultOk; }
  tresult PLUGIN_API setState(IBStream* s) override { double kept[COUNT + 1]; int32 got = 0; s->read(kept, sizeof kept, &got);
    if (got == sizeof kept) { std::memcpy(now, kept, sizeof now); own = kept[COUNT]; } return kResultOk; }
  tresult PLUGIN_API getState(IBStream* s) override { double kept[COUNT + 1]; std::memcpy(kept, now, sizeof now); kept[COUNT] = own; s->write(kept, sizeof kept, nullptr); return kResultOk; }
  tresult PLUGIN_API setComponentState(IBStream*) override { return kResultOk; }
  tresult PLUGIN_API setBusArrangements(SpeakerArrangement* in, int32 i, SpeakerArrangement* out, int32 o) override {
    return (i < 1 || in[0] == SpeakerArr::kStereo) && o == 1 && out[0] == SpeakerArr::kStereo ? kResultTrue : kResultFalse; }
  tresult PLUGIN_API getBusArrangement(BusDirection, int32, SpeakerArrangement& a) override { a = SpeakerArr::kStereo; return kResultOk; }
  tresult PLUGIN_API canProcessSampleSize(int32 s) override { return s == kSample32 ? kResultTrue : kResultFalse; }
  uint32 PLUGIN_API getLatencySamples() override { return plays ? 0 : 100; }
  tresult PLUGIN_API setupProcessing(ProcessSetup& s) override { rate = s.sampleRate; return kResultOk; }
  tresult PLUGIN_API setProcessing(TBool) override { return kResultOk; }
  uint32 PLUGIN_API getTailSamples() override { return 0; }
  tresult PLUGIN_API process(ProcessData& d) override {
    for (int32 i = 0; d.inputParameterChanges && i < d.inputParameterChanges->getParameterCount(); ++i) {
      auto* queue = d.inputParameterChanges->getParameterData(i); int32 offset; double value;
      if (queue->getPoint(queue->getPointCount() - 1, offset, value) == kResultOk && queue->getParameterId() < COUNT) now[queue->getParameterId()] = value; }
    if (!d.numOutputs || !d.numSamples) return kResultOk;
    if (now[5] > 0.99) { if (getenv("VST_HANGS")) for (;;) ; abort(); }
    float gain = (float)std::pow(10.0, plain(0, now[0]) / 20);
    int32 next = 0, events = d.inputEvents ? d.inputEvents->getEventCount() : 0;
    for (int32 f = 0; f < d.numSamples; ++f) {
      for (Event e; next < events && d.inputEvents->getEvent(next, e) == kResultOk && e.sampleOffset <= f; ++next)
        if (e.type == Event::kNoteOnEvent) { hz = 440 * std::pow(2.0, (e.noteOn.pitch - 69) / 12.0 + own); phase = 0; }
        else if (e.type == Event::kNoteOffEvent) hz = 0;
      if (plays) { float sound = hz > 0 ? (float)(0.2 * std::sin(phase) + 0.2 * now[1] * std::sin(8 * phase)) : 0.f; phase += 6.283185307179586 * hz / rate;
        for (int c = 0; c < 2; ++c) d.outputs[0].channelBuffers32[c][f] = gain * sound; continue; }
      for (int c = 0; c < 2; ++c) { float& kept = late[c][at]; float in = d.inputs[0].channelBuffers32[c][f]; d.outputs[0].channelBuffers32[c][f] = kept; kept = gain * in; }
      at = (at + 1) % 100; }
    return kResultOk; }
  int32 PLUGIN_API getParameterCount() override { return COUNT; }
  tresult PLUGIN_API getParameterInfo(int32 i, ParameterInfo& p) override { if (i < 0 || i >= COUNT) return kInvalidArgument; std::memset(&p, 0, sizeof p);
    p.id = i; wide(p.title, names[i]); wide(p.units, units[i]); p.stepCount = steps[i]; p.defaultNormalizedValue = start[i];
    p.flags = ParameterInfo::kCanAutomate | (i == 6 ? ParameterInfo::kIsBypass : 0) | (i == 2 ? ParameterInfo::kIsList : 0); return kResultOk; }
  tresult PLUGIN_API getParamStringByValue(ParamID i, ParamValue n, String128 to) override { char text[64];
    if (i == 2) std::snprintf(text, 64, "%s", modes[(int)std::fmin(2.0, n * 3)]); else if (i == 3) std::snprintf(text, 64, "%s", n < 0.5 ? "Off" : "On");
    else std::snprintf(text, 64, "%.2f", plain(i, n)); wide(to, text); return kResultOk; }
  tresult PLUGIN_API getParamValueByString(ParamID, TChar*, ParamValue&) override { return kResultFalse; }
  ParamValue PLUGIN_API normalizedParamToPlain(ParamID i, ParamValue n) override { return plain(i, n); }
  ParamValue PLUGIN_API plainParamToNormalized(ParamID, ParamValue v) override { return v; }
  ParamValue PLUGIN_API getParamNormalized(ParamID i) override { return i < COUNT ? now[i] : 0; }
  tresult PLUGIN_API setParamNormalized(ParamID i, ParamValue v) override { if (i < COUNT) now[i] = v; return kResultOk; }
  tresult PLUGIN_API setComponentHandler(IComponentHandler* h) override { hand = h; return kResultOk; }
  IPlugView* PLUGIN_API createView(FIDString) override { own += 1; return new View(hand, this); }
};
struct Factory : IPluginFactory2 {
  COUNTED
  tresult PLUGIN_API queryInterface(const TUID iid, void** obj) override { if (FUnknownPrivate::iidEqual(iid, IPluginFactory2_iid)) { addRef(); *obj = this; return kResultOk; }
    KNOWN(IPluginFactory) *obj = nullptr; return kNoInterface; }
  tresult PLUGIN_API getFactoryInfo(PFactoryInfo* f) override { *f = PFactoryInfo("Zolvek's tests", "", "", 0); return kResultOk; }
  int32 PLUGIN_API countClasses() override { return 2; }
  static void ids(int32 i, TUID id) { std::memset(id, 0x5a, 16); id[15] = (char)i; }
  tresult PLUGIN_API getClassInfo(int32 i, PClassInfo* c) override { TUID id; ids(i, id); *c = PClassInfo(id, PClassInfo::kManyInstances, kVstAudioEffectClass, i ? "Test tone" : "Test gain"); return kResultOk; }
  tresult PLUGIN_API getClassInfo2(int32 i, PClassInfo2* c) override { TUID id; ids(i, id);
    *c = PClassInfo2(id, PClassInfo::kManyInstances, kVstAudioEffectClass, i ? "Test tone" : "Test gain", 0, i ? "Instrument|Synth" : "Fx", "Zolvek's tests", "1.2.0", "VST 3.7"); return kResultOk; }
  tresult PLUGIN_API createInstance(FIDString cid, FIDString iid, void** obj) override { auto* made = new Plug(cid[15] == 1); tresult found = made->queryInterface(iid, obj); made->release(); return found; }
};
extern "C" {
__attribute__((visibility("default"))) IPluginFactory* GetPluginFactory() { return new Factory; }
__attribute__((visibility("default"))) bool ModuleEntry(void*) { return true; }
__attribute__((visibility("default"))) bool ModuleExit() { return true; }
}
