package local

import (
	"context"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/client"
	"jauntylark/core/sketch"
	"jauntylark/demo"
	"jauntylark/pipeline"
	"jauntylark/service"
	"jauntylark/standin"
)

func demoCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "demo", Short: "Run a whole made-up site on this machine", Args: terminal.Exactly(),
		Long: `Run Hollowbrook Fernery, a made-up glasshouse: the service with a PostgreSQL of its own, a stand-in
mail server, months of history, and simulated devices that go on from it over HTTP, MQTT and CoAP. A
minute after the start a roof vent sticks, and somebody is told; four minutes after it the cistern falls
silent for a while. A stranger waits to be let in. Ctrl-C stops all of it; the next start goes on with
the same data. JAUNTY_PASSWORD sets the owner's password.`,
		Example: `  jaunty demo
  jaunty demo --data /tmp/fernery --http 127.0.0.1:9000 --no-devices`,
		RunE: runDemo,
	}
	f := c.Flags()
	f.String("data", defaultData("jaunty-demo"), "folder that the demo keeps its data in")
	f.String("http", "127.0.0.1:8080", "address to listen on")
	f.String("mqtt", "127.0.0.1:1883", "address for MQTT; where it is taken, a free one is used")
	f.String("coap", "127.0.0.1:5683", "address for CoAP without DTLS; where it is taken, a free one is used")
	f.String("coaps", "127.0.0.1:5684", "address for CoAP over DTLS; where it is taken, a free one is used")
	f.Bool("no-devices", false, "leave out the demo's devices, their history and their guards")
	f.String("log-level", "warn", "debug, info, warn or error")
	return c
}

func runDemo(c *cobra.Command, _ []string) error {
	k, err := settings(c)
	if err != nil {
		return err
	}
	log, err := NewLog(c.ErrOrStderr(), k.String("log-level"), "text")
	if err != nil {
		return err
	}
	dir := k.String("data")
	if err := os.MkdirAll(dir, 0o711); err != nil {
		return err
	}
	memory, err := demo.Remember(dir)
	if err != nil {
		return err
	}
	if password := os.Getenv("JAUNTY_PASSWORD"); password != "" {
		memory.Password = password
	}
	say := teller(c.OutOrStdout())
	inbox, err := standin.OpenInbox(filepath.Join(dir, "inbox.jsonl"),
		func(m api.Message) { say("%s to %s: %s", m.Carrier, m.To, firstLine(m)) })
	if err != nil {
		return err
	}
	sink, err := standin.StartMailSink(inbox)
	if err != nil {
		return err
	}
	defer sink.Close()
	gateway, err := standin.StartGateway(inbox)
	if err != nil {
		return err
	}
	defer gateway.Close()
	s := demoService{out: c.OutOrStdout(), say: say, memory: memory, devices: !k.Bool("no-devices"), gateway: gateway}
	return s.run(c.Context(), service.Settings{
		Data: dir, HTTP: k.String("http"), MQTT: freeTCP(k.String("mqtt")), CoAP: freeUDP(k.String("coap")),
		CoAPS: freeUDP(k.String("coaps")), SMTP: "smtp://" + sink.Addr + "?from=lark@hollowbrook.example", Log: log,
		Inbox: inbox,
		URL:   atFixed(k.String("http")), Gateways: []byte(gateway.Settings()), Private: true,
		Owner: demo.Owner, OwnerName: "Orla", Password: memory.Password, Demo: true,
	})
}

// demoService is the demo's service with its site.
type demoService struct {
	out     io.Writer
	say     func(string, ...any)
	memory  *demo.Memory
	devices bool
	gateway *standin.Gateway
	ways    sketch.Ways
	inside  *pipeline.Pipeline
}

// run serves, and runs the site as soon as the service answers. When either fails, both end.
func (d *demoService) run(ctx context.Context, s service.Settings) error {
	ctx, stop := context.WithCancelCause(ctx)
	defer stop(nil)
	var site sync.WaitGroup
	s.Opened = func(in service.Inside) {
		d.ways, d.inside = in.Ways, in.Pipeline
	}
	s.Ready = func(address string) {
		site.Go(func() {
			if err := d.site(ctx, address); err != nil && ctx.Err() == nil {
				stop(err)
			}
		})
	}
	err := service.Serve(ctx, s)
	stop(nil)
	site.Wait()
	if err == nil && context.Cause(ctx) != context.Canceled {
		err = context.Cause(ctx)
	}
	return err
}

func (d *demoService) site(ctx context.Context, address string) error {
	owner, err := signIn(ctx, address, d.memory.Password)
	if err != nil {
		return fmt.Errorf("signing in to the demo: %w", err)
	}
	site := demo.Site{Owner: owner, Ways: d.ways, Inside: d.inside, Memory: d.memory, Gateway: d.gateway, Say: d.say}
	if d.devices {
		if err := site.SetUp(ctx); err != nil {
			return fmt.Errorf("setting the demo up: %w", err)
		}
	}
	fmt.Fprintf(d.out, "ready %s\n\n  The console:  %s\n  Sign in as    %s, password %s\n  Command line  jaunty "+
		"login %s --user %s\n  Devices       MQTT %s, CoAP %s, with DTLS %s\n  Ctrl-C stops everything.\n\n",
		address, address, demo.Owner, d.memory.Password, address, demo.Owner, d.ways.MQTT, d.ways.CoAP, d.ways.CoAPS)
	if d.devices {
		site.Run(ctx)
	}
	return nil
}

// atFixed is the address that links carry; empty where the port is left open.
func atFixed(address string) string {
	if strings.HasSuffix(address, ":0") {
		return ""
	}
	return "http://" + address
}

// firstLine is what a message says first.
func firstLine(m api.Message) string {
	if m.Carrier == "webhook" {
		return "signed " + m.Subject
	}
	line, _, _ := strings.Cut(strings.TrimSpace(m.Subject+"\n"+m.Text), "\n")
	return line
}

// freeTCP gives the address, or one of the same host with a free port when it is taken.
func freeTCP(address string) string {
	listener, err := net.Listen("tcp", address)
	if err == nil {
		listener.Close()
		return address
	}
	return anyPort(address)
}

// freeUDP is freeTCP for UDP.
func freeUDP(address string) string {
	socket, err := net.ListenPacket("udp", address)
	if err == nil {
		socket.Close()
		return address
	}
	return anyPort(address)
}

func anyPort(address string) string {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return address // off, or told where it is opened
	}
	return net.JoinHostPort(host, "0")
}

// signIn gets the owner's token; the service may take a moment to answer.
func signIn(ctx context.Context, address, password string) (*client.Client, error) {
	owner := &client.Client{URL: address}
	for try := 0; ; try++ {
		got, err := client.Do(ctx, owner, api.CreateToken,
			api.With(api.Credentials{Email: demo.Owner, Password: password}))
		if err == nil {
			owner.Token = got.Token
			return owner, nil
		}
		if _, answered := err.(*client.Problem); answered || try == 20 {
			return nil, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// teller prints lines with the time in front, one at a time.
func teller(w io.Writer) func(string, ...any) {
	var mu sync.Mutex
	return func(format string, args ...any) {
		mu.Lock()
		defer mu.Unlock()
		fmt.Fprintf(w, time.Now().Format("15:04:05  ")+format+"\n", args...)
	}
}
