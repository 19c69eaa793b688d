package server_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"jauntylark/api"
	"jauntylark/core/sketch"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// Each ready text does what it says: it sends a first reading. What runs for ever is stopped then.
func TestReadyTextsWork(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	for kind, run := range map[string]func(t *testing.T, dir, text string) *exec.Cmd{
		"curl": shell, "mqtt": shell, "coap": shell, "go": goProgram, "micropython": python, "cpp": boardStub,
	} {
		t.Run(kind, func(t *testing.T) {
			var added api.AddedDevice
			s.Do(api.AddDevice.At(), map[string]string{"name": "dev-" + kind}, &added)
			dir := t.TempDir()
			command := run(t, dir, textOf(t, added.Code, kind))
			if command == nil {
				t.Skip("what runs it is not on this machine")
			}
			command.Dir = dir
			out := new(strings.Builder)
			command.Stdout, command.Stderr = out, out
			if err := command.Start(); err != nil {
				t.Fatal(err)
			}
			defer func() { _ = command.Process.Kill(); _ = command.Wait() }()
			for end := time.Now().Add(60 * time.Second); s.Signal("dev-"+kind+
				"/temp") == nil; time.Sleep(50 * time.Millisecond) {
				if time.Now().After(end) {
					t.Fatalf("no reading came; it says: %s", out)
				}
			}
			if kind == "go" || kind == "micropython" { // these also obey
				s.Do(api.OrderSettings.At("dev-"+kind), map[string]any{"interval": "1s"}, nil)
				storetest.Eventually(t, "it runs what is ordered",
					func() bool { return s.Look("dev-"+kind).RunningNo == 1 })
			}
		})
	}
}

// The ready programs do what their outputs are ordered, confirm it, and go to the safe state by themselves when the
// service is gone.
func TestReadyTextsFollowAndGoSafe(t *testing.T) {
	storetest.Long(t)
	s := servertest.Start(t)
	outs := map[string]*safeText{}
	for kind, run := range map[string]func(t *testing.T, dir, text string) *exec.Cmd{"go": goProgram,
		"micropython": python, "cpp": boardStub} {
		name := "dev-" + kind
		var added api.AddedDevice
		s.Do(api.AddDevice.At(), map[string]string{"name": name}, &added)
		s.Output(name+"/fan", map[string]any{"safe": "on", "rest": "off", "expires": "6s"})
		var code []sketch.Text
		s.Do(api.GetCode.At(name), nil, &code)
		dir := t.TempDir()
		command := run(t, dir, strings.ReplaceAll(textOf(t, code, kind), sketch.KeyMark, added.Key))
		if command == nil {
			t.Logf("what runs %s is not on this machine", kind)
			continue
		}
		command.Dir = dir
		outs[kind] = &safeText{}
		command.Stdout, command.Stderr = outs[kind], outs[kind]
		if err := command.Start(); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = command.Process.Kill(); _ = command.Wait() })
	}
	says := func(what, word string) {
		t.Helper()
		for kind, out := range outs {
			for end := time.Now().Add(40 * time.Second); ; time.Sleep(50 * time.Millisecond) {
				last := ""
				for line := range strings.Lines(out.String()) {
					if strings.HasPrefix(line, "fan does") || strings.HasPrefix(line, "pin 4 is") {
						last = strings.TrimSpace(line)
					}
				}
				if last == "fan does "+word || last == "pin 4 is "+word {
					break
				}
				if time.Now().After(end) {
					t.Fatalf("%s: the text in %s does not do %s: %s", what, kind, word, out)
				}
			}
		}
	}
	says("at first", "0")
	for kind := range outs {
		s.Do(api.SetOutput.At("dev-"+kind, "fan"), map[string]any{"to": "on"}, nil)
	}
	says("ordered", "1")
	for kind := range outs {
		storetest.Eventually(t, kind+" confirms", func() bool {
			o := s.Stands("dev-" + kind + "/fan")
			return o.Confirmed != nil && *o.Confirmed == "on"
		})
		s.Do(api.ReleaseOutput.At("dev-"+kind, "fan"), nil, nil)
	}
	says("released", "0")
	s.Stop()
	says("the service is gone", "1")
}

// safeText is what a program has printed so far.
type safeText struct {
	mu   sync.Mutex
	text strings.Builder
}

func (s *safeText) Write(b []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.text.Write(b)
}

func (s *safeText) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.text.String()
}

func textOf(t *testing.T, code []sketch.Text, kind string) string {
	t.Helper()
	for _, c := range code {
		if c.For == kind {
			return c.Text
		}
	}
	t.Fatalf("there is no text for %s", kind)
	return ""
}

func write(t *testing.T, dir, name, text string) {
	t.Helper()
	if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}

// shell runs the lines up to those that wait for what comes down.
func shell(t *testing.T, _, text string) *exec.Cmd {
	text, _, _ = strings.Cut(text, "# What")
	return exec.Command("sh", "-c", text)
}

func goProgram(t *testing.T, dir, text string) *exec.Cmd {
	write(t, dir, "main.go", strings.Replace(text, "10*time.Second", "time.Second", 1))
	write(t, dir, "go.mod", "module device\n\ngo 1.22\n")
	if out, err := exec.Command("gofmt", "-l", filepath.Join(dir, "main.go")).CombinedOutput(); err != nil ||
		len(out) > 0 {
		t.Errorf("it is not formatted: %s %v", out, err)
	}
	build := exec.Command("go", "build", "-o", "device", ".")
	build.Dir = dir
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	return exec.Command(filepath.Join(dir, "device"))
}

// python runs the MicroPython text with small stand-ins for what a board brings.
func python(t *testing.T, dir, text string) *exec.Cmd {
	path, err := exec.LookPath("python3")
	if err != nil {
		return nil
	}
	write(t, dir, "device.py", strings.Replace(text, "interval = 10 ", "interval = 1 ", 1))
	write(t, dir, "network.py",
		"STA_IF = 0\nclass WLAN:\n  def __init__(self, i): pass\n  def active(self, a): pass\n  def connect(self, n, "+
			"p): pass\n")
	write(t, dir, "requests.py", `import json as j, urllib.request, urllib.error
class Answer:
  def __init__(self, r): self.status_code, self.text = r.status if hasattr(r, "status") else r.code, r.read()
  def json(self): return j.loads(self.text)
  def close(self): pass
def ask(method, url, body, headers):
  try: return Answer(urllib.request.urlopen(urllib.request.Request(url, body, headers, method=method)))
  except urllib.error.HTTPError as e: return Answer(e)
def post(url, data, headers, timeout): return ask("POST", url, data.encode(), headers)
def put(url, data, headers, timeout): return ask("PUT", url, data.encode(), headers)
def get(url, headers, timeout): return ask("GET", url, None, headers)
`)
	write(t, dir, "board.py",
		"import sys, time\nsys.stdout.reconfigure(line_buffering=True)\ntime.ticks_ms = lambda: int(time.monotonic() "+
			"* 1000)\ntime.ticks_diff = lambda a, b: a - b\nimport device\n")
	return exec.Command(path, "board.py")
}

// boardStub builds the C++ text with small stand-ins for what a board brings, and runs it once.
func boardStub(t *testing.T, dir, text string) *exec.Cmd {
	compiler, err := exec.LookPath("g++")
	if err != nil {
		return nil
	}
	write(t, dir, "WiFi.h",
		"#pragma once\n#define WL_CONNECTED 3\nstruct { void begin(const char *, const char *) {} int status() { "+
			"return WL_CONNECTED; } } WiFi;\n")
	write(t, dir, "HTTPClient.h", `#pragma once
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <thread>
struct String : std::string {
  String(const std::string &s = "") : std::string(s) {}
  String(const char *s) : std::string(s) {}
  String(int v) : std::string(std::to_string(v)) {}
  String(long v) : std::string(std::to_string(v)) {}
  String(double v, int) : std::string(std::to_string(v)) {}
  int indexOf(const String &s, int from = 0) const { auto at = find(s, from); return at == npos ? -1 : (int)at; }
  String substring(int at) const { return substr(at); }
  String substring(int at, int end) const { return substr(at, end - at); }
  long toInt() const { return atol(c_str()); }
};
inline String operator+(const String &a, const String &b) { return std::string(a) + std::string(b); }
inline String operator+(const String &a, const char *b) { return std::string(a) + b; }
inline String operator+(const char *a, const String &b) { return a + std::string(b); }
inline unsigned long millis() { return std::chrono::duration_cast<std::chrono::milliseconds>(std::chrono::steady_clock::now().time_since_epoch()).count(); }
enum { LOW, HIGH, OUTPUT };
inline void pinMode(int, int) {}
inline void digitalWrite(int pin, int to) { printf("pin %d is %d\n", pin, to); fflush(stdout); }
inline void delay(unsigned long) { std::this_thread::sleep_for(std::chrono::seconds(1)); }
struct HTTPClient {
  String url, head, answer;
  void begin(const String &u) { url = u; }
  void setConnectTimeout(int) {}
  void setTimeout(int) {}
  void addHeader(const char *k, const String &v) { head = head + " -H '" + k + ": " + v + "'"; }
  int sendRequest(const char *method, const String &body) {
    String line = String("curl -s -X ") + method + " '" + url + "'" + head + (body.empty() ? String("") : String(" -d '") + body + "'") + " -w '\n%{http_code}'";
    FILE *f = popen(line.c_str(), "r");
    char c[256]; answer = "";
    while (fgets(c, sizeof c, f)) answer = answer + c;
    pclose(f);
    auto cut = answer.rfind('\n');
    int status = atoi(answer.c_str() + cut + 1);
    answer = answer.substr(0, cut);
    return status;
  }
  String getString() { return answer; }
  void end() {}
};
`)
	write(t, dir, "main.cpp", text+"\nint main() { setup(); for (;;) loop(); }\n")
	build := exec.Command(compiler, "-I.", "-o", "device", "main.cpp")
	build.Dir = dir
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%s %v", out, err)
	}
	return exec.Command(filepath.Join(dir, "device"))
}
