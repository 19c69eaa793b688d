package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"net/netip"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"jauntylark/clock"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/sketch"
	"jauntylark/history"
	"jauntylark/intake/admission"
	"jauntylark/intake/gate"
	"jauntylark/meter"
	"jauntylark/notify"
	"jauntylark/pipeline"
	"jauntylark/pipeline/due"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
	"jauntylark/server"
	"jauntylark/server/people"
	"jauntylark/server/web"
	"jauntylark/standin"
	"jauntylark/store"
	"jauntylark/store/cluster"
	"jauntylark/store/config"
)

// Settings are what a whole service runs with.
type Settings struct {
	Data         string        // folder of the private PostgreSQL
	Database     string        // address of an outside PostgreSQL; empty: a private one under Data
	DatabasePort int           // of the private one; 0: the one of last time, or a free one
	HTTP         string        // address to listen on
	Metrics      string        // address where the service's own figures are told; empty or off: nowhere
	MQTT         string        // address of the broker inside; empty or off: none
	MQTTS        string        // address of the broker inside, with TLS
	MQTTBroker   string        // address of an outside broker, instead of the one inside
	CoAP         string        // address for CoAP without DTLS; empty or off: none
	CoAPS        string        // address for CoAP over DTLS
	SealAfter    time.Duration // how old readings are before they are sealed into blocks; 0: the default
	Disk         string        // folder whose disk is watched; empty: that of the private PostgreSQL
	SealFile     string        // the key file that device keys are sealed with; empty: under Data
	DeviceRate   int           // messages a second that one device may send; 0: the default
	SMTP         string        // where mail goes; empty: nowhere
	Carriers     string        // file that describes gateways; empty: none
	Gateways     []byte        // what such a file would say, where there is none
	Private      bool          // webhooks, push and the heartbeat may go to private addresses
	URL          string        // address that links in messages carry; empty: they carry none
	TLSCert      string        // certificate file; empty: no TLS
	TLSKey       string        // key file
	TrustedProxy []string      // addresses or networks whose X-Forwarded-For is believed
	Log          *slog.Logger
	Inbox        *standin.Inbox // of the stand-ins, shown by the API; nil: none
	OwnerName    string         // what to call the first owner
	Owner        string         // e-mail address of the first owner, made when nobody can sign in yet
	Password     string         // the first owner's; empty: one is made and told by FirstOwner
	Passwords    web.Passwords
	Clock        *clock.Clock // the service's; nil: this machine's, set by the database's
	Demo         bool         // the owner of a demo: any password will do, and is given anew at each start
	FirstOwner   func(email, password string)
	Opened       func(Inside)         // called once before Ready, with what runs
	Ready        func(address string) // called once, when the service answers
}

// Inside is what runs in a service, for a program that it is part of.
type Inside struct {
	Ways     sketch.Ways // where devices can send besides HTTP
	Pipeline *pipeline.Pipeline
	Records  *store.Store
}

// webConnections is how many connections people and devices may have over HTTP at once, files permitting.
const webConnections = 10_000

// readingsAMessage is how many readings go with a message in a device's rate.
const readingsAMessage = 50

// SettingError says that a setting is not what it should be.
type SettingError struct{ Err error }

// Error names the setting and what is wrong with it.
func (e *SettingError) Error() string { return e.Err.Error() }

// check tells what is wrong with the settings by themselves.
func (s Settings) check() (out waysOut, proxies []netip.Prefix, err error) {
	if out, err = s.openOut(); err != nil {
		return out, nil, err
	}
	if s.Owner != "" {
		if _, err = site.CheckEmail(s.Owner); err != nil {
			return out, nil, fmt.Errorf("--owner: %w", err)
		}
	}
	if _, _, err = net.SplitHostPort(s.HTTP); err != nil {
		return out, nil, fmt.Errorf("--http %q is not HOST:PORT", s.HTTP)
	}
	for flag, address := range map[string]string{"metrics": s.Metrics, "mqtt": s.MQTT, "mqtts": s.MQTTS, "coap": s.CoAP,
		"coaps": s.CoAPS} {
		if _, _, err := net.SplitHostPort(address); open(address) && err != nil {
			return out, nil, fmt.Errorf("--%s %q is not HOST:PORT, nor off", flag, address)
		}
	}
	if s.DatabasePort < 0 || s.DatabasePort > 65535 {
		return out, nil, fmt.Errorf("--database-port %d is not a port: 1 to 65535, or 0 for a free one", s.DatabasePort)
	}
	if s.DatabasePort != 0 && s.Database != "" {
		return out, nil, errors.New("--database-port is of the private PostgreSQL; --database names another one")
	}
	if s.DeviceRate < 0 {
		return out, nil, fmt.Errorf("--device-rate %d is not a number of messages a second", s.DeviceRate)
	}
	proxies, err = prefixes(s.TrustedProxy)
	return out, proxies, err
}

// seal opens the key file; nil when there is no place for one.
func (s Settings) seal() (*admission.Seal, error) {
	path := s.SealFile
	if path == "" {
		if s.Data == "" {
			return nil, nil
		}
		path = filepath.Join(s.Data, "device-keys.seal")
	}
	seal, err := admission.OpenSeal(path)
	if err != nil {
		return nil, fmt.Errorf("the key file for device keys (--seal-file): %w", err)
	}
	return seal, nil
}

// Serve runs a whole service until ctx ends, then stops what it started.
func Serve(ctx context.Context, s Settings) (err error) {
	endTrace, err := meter.Trace(ctx)
	if err != nil {
		return &SettingError{fmt.Errorf("traces: %w", err)}
	}
	defer func() {
		last, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		err = errors.Join(err, endTrace(last))
	}()
	out, proxies, err := s.check()
	if err != nil {
		return &SettingError{err}
	}
	listener, err := net.Listen("tcp", s.HTTP)
	if err != nil {
		return fmt.Errorf("--http: %w", err)
	}
	most := gate.Share(1, 5, webConnections)
	listener = gate.Listen(listener, gate.Bounds{InAll: most, PerAddress: most / 2, Trusted: proxies})
	defer listener.Close()
	if s.Database == "" {
		private, startErr := cluster.Start(ctx, s.Data, cluster.Options{Port: s.DatabasePort})
		if startErr != nil {
			return startErr
		}
		s.Database = private.URL
		if s.Disk == "" {
			s.Disk = s.Data
		}
		watching, stopWatching := context.WithCancel(context.Background())
		var watch sync.WaitGroup
		watch.Go(func() { private.Watch(watching, s.Log) })
		defer func() {
			stopWatching()
			watch.Wait()
			stop, cancel := context.WithTimeout(context.Background(), time.Minute)
			defer cancel()
			err = errors.Join(err, private.Stop(stop))
		}()
	}
	records, err := store.OpenService(ctx, s.Database)
	if err != nil {
		return err
	}
	defer records.Close()
	return s.run(ctx, records, out, proxies, listener)
}

func (s Settings) run(ctx context.Context, records *store.Store, out waysOut, proxies []netip.Prefix,
	listener net.Listener) error {
	signer, err := signerOf(ctx, records)
	if err != nil {
		return err
	}
	var worker *notify.Worker
	var entrance *admission.Control
	counts := meter.New()
	options := pipeline.Options{Log: s.Log, Clock: s.Clock, Meter: counts,
		OnNotice: func() { worker.Wake() }, OnOrder: func(outputs []drive.Output) { entrance.Orders.Tell(outputs) }}
	s.link(&options, signer)
	pipe := pipeline.New(records, options)
	push, err := out.open(ctx, s, records, pipe, signer, pipe.Now, listener)
	if err != nil {
		return err
	}
	worker = notify.NewWorker(records, notify.Options{Meter: counts, Carriers: out.carriers, Log: s.Log, Now: pipe.Now,
		Moment: pipe.Moment,
		Failed: func(ctx context.Context, failed []roster.Notice) error { return respond.Failed(ctx, pipe, failed) },
		Judge:  func(ctx context.Context) error { return respond.JudgeCarriers(ctx, pipe) }})
	heart := &notify.Heart{Store: records, Client: notify.NewOutside(s.Private), Log: s.Log, Now: pipe.Now}
	seal, err := s.seal()
	if err != nil {
		return err
	}
	keeper := history.New(records, pipe, s.upkeep(pipe))
	entrance = admission.New(records, pipe, seal, admission.Rate{Messages: s.DeviceRate,
		Readings: s.DeviceRate * readingsAMessage}, s.Log)
	if err := entrance.Reload(ctx); err != nil {
		return err
	}
	ways, err := s.openWays(entrance, records)
	if err != nil {
		return err
	}
	defer ways.closeAll()
	face, err := server.New(records, entrance, keeper, web.Options{Log: s.Log, Passwords: s.Passwords, URL: s.URL,
		Secure: s.TLSCert != "" || strings.HasPrefix(s.URL, "https:"), TrustedProxy: proxies, Inbox: s.Inbox,
		Disk: s.Disk, Ways: ways.addresses, Signer: signer, PushPublic: push,
		CarriersOn: slices.Sorted(maps.Keys(out.carriers)), Gateways: out.gateways})
	if err != nil {
		return err
	}
	metrics, err := s.openMetrics(records, pipe, face, counts)
	if err != nil {
		return err
	}
	// The face stops first, so that what it has promised is still committed; then the rest.
	back, stopBack := context.WithCancel(context.WithoutCancel(ctx))
	var behind sync.WaitGroup
	defer behind.Wait()
	defer stopBack()
	behind.Go(func() { pipe.Run(back) })
	behind.Go(func() { due.Run(back, pipe) })
	behind.Go(func() { entrance.Run(back) })
	behind.Go(func() { metrics(back) })
	// These have promised nothing to anybody, and begin to stop at once.
	free, stopFree := context.WithCancel(ctx)
	defer stopFree()
	posts := s.posts(records, pipe, signer)
	for _, run := range []func(context.Context){worker.Run, heart.Run, posts.Run, keeper.Run} {
		behind.Go(func() { run(free) })
	}
	if err := s.firstOwner(ctx, records, pipe); err != nil {
		return err
	}
	var faces sync.WaitGroup
	defer faces.Wait()
	faceCtx, closeFaces := context.WithCancel(ctx)
	defer closeFaces()
	ways.start(faceCtx, &faces, s.Log)
	s.Log.Info("serving", "address", listener.Addr(), "mail", s.SMTP != "", "tls", s.TLSCert != "", "mqtt",
		ways.addresses.MQTT, "mqtts", ways.addresses.MQTTS, "coap", ways.addresses.CoAP, "coaps", ways.addresses.CoAPS)
	defer s.Log.Info("stopping")
	if s.Opened != nil {
		s.Opened(Inside{Ways: ways.addresses, Pipeline: pipe, Records: records})
	}
	s.tellReady(listener)
	return face.Run(ctx, listener, s.TLSCert, s.TLSKey)
}

// upkeep is how what is stored is kept in order.
func (s Settings) upkeep(pipe *pipeline.Pipeline) history.Options {
	return history.Options{Log: s.Log, Now: pipe.Now, SealAfter: s.SealAfter, Folder: s.Disk}
}

// tellReady says where the service is reached, once it is.
func (s Settings) tellReady(listener net.Listener) {
	if s.Ready == nil {
		return
	}
	scheme := "http://"
	if s.TLSCert != "" {
		scheme = "https://"
	}
	s.Ready(scheme + reachable(listener.Addr().(*net.TCPAddr)))
}

// link has messages carry addresses of the console, where people reach it by a known one.
func (s Settings) link(o *pipeline.Options, signer notify.Signer) {
	if s.URL == "" {
		return
	}
	at := strings.TrimRight(s.URL, "/")
	o.Link = func(alarm int64) string { return fmt.Sprintf("%s/alarms/%d", at, alarm) }
	o.TakeLink = func(notice int64, now measure.Instant) string { return at + "/take/" + signer.Token(notice, now) }
}

// reachable is how to reach the address from this machine.
func reachable(a *net.TCPAddr) string {
	if a.IP.IsUnspecified() {
		return fmt.Sprintf("127.0.0.1:%d", a.Port)
	}
	return a.String()
}

// firstOwner lets the first person in.
func (s Settings) firstOwner(ctx context.Context, records *store.Store, pipe *pipeline.Pipeline) error {
	known, err := config.People(ctx, records)
	if err != nil {
		return err
	}
	if len(known) > 0 {
		return s.setPassword(ctx, known, pipe)
	}
	if s.Owner == "" {
		s.Log.Warn("nobody can sign in yet; start once with --owner EMAIL")
		return nil
	}
	password := s.Password
	if password == "" {
		password, _ = web.NewSecret(12)
	}
	if err := site.CheckPassword(password); err != nil && !s.Demo {
		return fmt.Errorf("JAUNTY_PASSWORD: %w", err)
	}
	address, err := site.CheckEmail(s.Owner)
	if err != nil {
		return err
	}
	hash, err := s.Passwords.Hash(password)
	if err != nil {
		return err
	}
	owner := site.Person{Email: address, Name: s.OwnerName, Role: site.Owner}
	if err := people.AddPerson(ctx, pipe, &owner, hash, "the service"); err != nil &&
		!errors.Is(err, store.ErrTaken) {
		return err
	}
	if s.FirstOwner != nil {
		s.FirstOwner(s.Owner, password)
	}
	return nil
}

// setPassword gives the owner of a demo who is there already the password.
func (s Settings) setPassword(ctx context.Context, known []site.Person, pipe *pipeline.Pipeline) error {
	if !s.Demo || s.Password == "" {
		return nil
	}
	hash, err := s.Passwords.Hash(s.Password)
	if err != nil {
		return err
	}
	for _, p := range known {
		if p.Email == s.Owner {
			return pipe.Do(ctx, func(t *reading.Turn) error { return config.SetPassword(ctx, t.Tx, p.ID, hash) })
		}
	}
	return nil
}

func prefixes(texts []string) ([]netip.Prefix, error) {
	var out []netip.Prefix
	for _, text := range texts {
		prefix, err := netip.ParsePrefix(text)
		if err != nil {
			address, err := netip.ParseAddr(text)
			if err != nil {
				return nil, fmt.Errorf("--trusted-proxy: %q is neither an address nor a network like 10.0.0.0/8", text)
			}
			prefix = netip.PrefixFrom(address, address.BitLen())
		}
		out = append(out, prefix)
	}
	return out, nil
}
