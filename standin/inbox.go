// Package standin holds small simulated things from outside: devices that send, and gateways that
// take messages. They speak the real protocols, and the gateways can be told to fail.
package standin

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"sync"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// Inbox keeps what the stand-ins received, in a file so that it outlives a restart, and how they are told to fail.
type Inbox struct {
	mu       sync.Mutex
	file     *os.File
	messages []api.Message
	arrived  func(api.Message)
	faults   map[string]string
	next     int
}

const (
	keptMessages = 10_000 // how many of the newest messages are shown
	keptWhole    = 200    // how many of them with pages and pictures
)

// OpenInbox reads the messages in the file at path, and adds new ones to it; an empty path keeps them
// in memory alone. arrived, if not nil, is told of each new one.
func OpenInbox(path string, arrived func(api.Message)) (*Inbox, error) {
	in := &Inbox{messages: []api.Message{}, arrived: arrived, faults: map[string]string{}}
	if path == "" {
		return in, nil
	}
	var err error
	if in.file, err = os.OpenFile(path, os.O_CREATE|os.O_RDWR|os.O_APPEND, 0o600); err != nil {
		return nil, err
	}
	lines := bufio.NewReader(in.file)
	for {
		line, err := lines.ReadBytes('\n')
		var m api.Message
		if json.Unmarshal(line, &m) == nil {
			in.messages = append(in.messages, m)
			in.next = max(in.next, m.ID)
		}
		if err == io.EOF {
			if len(line) > 0 { // cut off by a crash; what comes next has a line of its own
				_, err = in.file.Write([]byte("\n"))
				return in, err
			}
			return in, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// Messages lists what was received, oldest first.
func (in *Inbox) Messages() []api.Message {
	in.mu.Lock()
	defer in.mu.Unlock()
	return append([]api.Message{}, in.messages...)
}

// Message gives one message; false: there is none of that number.
func (in *Inbox) Message(id int) (api.Message, bool) {
	in.mu.Lock()
	defer in.mu.Unlock()
	for i := len(in.messages) - 1; i >= 0; i-- {
		if in.messages[i].ID == id {
			return in.messages[i], true
		}
	}
	return api.Message{}, false
}

// add keeps a message and gives its number. It fails when the file cannot take it.
func (in *Inbox) add(m api.Message) (int, error) {
	in.mu.Lock()
	defer in.mu.Unlock()
	in.next++
	m.ID = in.next
	if in.file != nil {
		short := m
		short.HTML, short.Picture = "", nil
		line, err := json.Marshal(short)
		if err != nil {
			return 0, err
		}
		if _, err := in.file.Write(append(line, '\n')); err != nil {
			return 0, err
		}
	}
	in.messages = append(in.messages, m)
	if len(in.messages) > keptMessages {
		in.messages = in.messages[len(in.messages)-keptMessages:]
	}
	if old := len(in.messages) - keptWhole; old >= 0 {
		in.messages[old].HTML, in.messages[old].Picture = "", nil
	}
	if in.arrived != nil {
		in.arrived(m)
	}
	return m.ID, nil
}

// The ways in which a stand-in can be told to fail.
const (
	FaultRefuse     = "refuse"      // it says no, for now
	FaultReject     = "reject"      // it says no for good
	FaultTimeOut    = "time-out"    // it never answers
	FaultSlow       = "slow"        // it answers after three seconds
	FaultNoReceipts = "no-receipts" // it takes messages and never says what became of them
	FaultFail       = "fail"        // it takes messages, and its receipts say that they did not arrive
)

// Faults lists them.
var Faults = []string{FaultRefuse, FaultReject, FaultTimeOut, FaultSlow, FaultNoReceipts, FaultFail}

// Fail tells the stand-in of a carrier to fail in a way; empty: to work.
func (in *Inbox) Fail(carrier, how string) error {
	known := func(word string, all []string) bool {
		for _, w := range all {
			if w == word {
				return true
			}
		}
		return false
	}
	if !known(carrier, roster.Carriers) {
		return &measure.Fault{Field: "carrier", Reason: fmt.Sprintf("%s; there are %v",
			site.Unknown("carrier", carrier, roster.Carriers), roster.Carriers)}
	}
	if how != "" && !known(how, Faults) {
		return &measure.Fault{Field: "how", Reason: fmt.Sprintf("%s; it is one of %v",
			site.Unknown("way to fail", how, Faults), Faults)}
	}
	in.mu.Lock()
	defer in.mu.Unlock()
	in.faults[carrier] = how
	return nil
}

// Failing tells how each stand-in fails.
func (in *Inbox) Failing() map[string]string {
	in.mu.Lock()
	defer in.mu.Unlock()
	out := map[string]string{}
	for carrier, how := range in.faults {
		if how != "" {
			out[carrier] = how
		}
	}
	return out
}

func (in *Inbox) fault(carrier string) string {
	in.mu.Lock()
	defer in.mu.Unlock()
	return in.faults[carrier]
}
