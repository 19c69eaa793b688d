package service

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"sync"

	"jauntylark/core/sketch"
	"jauntylark/intake/admission"
	"jauntylark/intake/coapin"
	"jauntylark/intake/mqttin"
	"jauntylark/store"
)

// ways are the ways in besides HTTP that a service has open.
type ways struct {
	addresses sketch.Ways
	run       []func(context.Context) error
	close     []func() error
}

// off says that a way in is not to be opened.
const off = "off"

func open(address string) bool { return address != "" && address != off }

func (w *ways) broker(flag, address string, opened *string, d *admission.Control, o mqttin.Options,
	log *slog.Logger) error {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return fmt.Errorf("%s: %w; say %s off, or another address", flag, err, flag)
	}
	w.close = append(w.close, listener.Close)
	broker, err := mqttin.NewBroker(d, listener, o, log)
	if err != nil {
		return err
	}
	*opened = given(address, listener.Addr())
	w.run = append(w.run, broker.Run)
	return nil
}

// given is the address that was asked for, with the port that was found when it left that open.
func given(asked string, found net.Addr) string {
	host, port, err := net.SplitHostPort(asked)
	if err != nil || port != "0" {
		return asked
	}
	_, port, _ = net.SplitHostPort(found.String())
	return net.JoinHostPort(host, port)
}

func (w *ways) closeAll() {
	for _, close := range w.close {
		_ = close()
	}
}

// start runs all ways until ctx ends. One that fails is told; the others go on.
func (w *ways) start(ctx context.Context, all *sync.WaitGroup, log *slog.Logger) {
	for _, run := range w.run {
		all.Go(func() {
			if err := run(ctx); err != nil && ctx.Err() == nil {
				log.Error("a way in has ended", "error", err)
			}
		})
	}
}

// openWays opens the sockets, so that what cannot be opened is told before anything runs.
func (s Settings) openWays(d *admission.Control, records *store.Store) (w *ways, err error) {
	w = &ways{}
	defer func() {
		if err != nil {
			w.closeAll()
		}
	}()
	if s.MQTTBroker != "" {
		outside, err := mqttin.NewOutside(d, records, s.MQTTBroker, s.Log)
		if err != nil {
			return w, &SettingError{err}
		}
		w.run = append(w.run, outside.Run)
		w.addresses.MQTT = mqttin.Address(s.MQTTBroker)
	} else if err := s.openBrokers(d, records, w); err != nil {
		return w, err
	}
	return w, s.openCoAP(d, w)
}

func (s Settings) openBrokers(d *admission.Control, records *store.Store, w *ways) error {
	if open(s.MQTT) {
		if err := w.broker("--mqtt", s.MQTT, &w.addresses.MQTT, d, mqttin.Options{Records: records},
			s.Log); err != nil {
			return err
		}
	}
	if !open(s.MQTTS) {
		return nil
	}
	if s.TLSCert == "" {
		return &SettingError{errors.New("--mqtts needs --tls-cert and --tls-key")}
	}
	certificate, err := tls.LoadX509KeyPair(s.TLSCert, s.TLSKey)
	if err != nil {
		return fmt.Errorf("--tls-cert: %w", err)
	}
	secure := &tls.Config{Certificates: []tls.Certificate{certificate}, MinVersion: tls.VersionTLS12}
	return w.broker("--mqtts", s.MQTTS, &w.addresses.MQTTS, d, mqttin.Options{TLS: secure, Records: records}, s.Log)
}

func (s Settings) openCoAP(d *admission.Control, w *ways) error {
	if !open(s.CoAP) && !open(s.CoAPS) {
		return nil
	}
	way := coapin.New(d, s.Log)
	w.run = append(w.run, func(ctx context.Context) error { way.Run(ctx); return nil })
	if open(s.CoAP) {
		plain, err := coapin.ListenPlain(s.CoAP)
		if err != nil {
			return fmt.Errorf("--coap: %w; say --coap off, or another address", err)
		}
		w.close = append(w.close, plain.Close)
		w.addresses.CoAP = given(s.CoAP, plain.Addr())
		w.run = append(w.run, func(ctx context.Context) error { return way.ServePlain(ctx, plain) })
	}
	if !open(s.CoAPS) {
		return nil
	}
	secure, err := way.ListenDTLS(s.CoAPS)
	if err != nil {
		return fmt.Errorf("--coaps: %w; say --coaps off, or another address", err)
	}
	w.close = append(w.close, secure.Close)
	w.addresses.CoAPS = given(s.CoAPS, secure.Addr())
	w.run = append(w.run, func(ctx context.Context) error { return way.ServeDTLS(ctx, secure) })
	return nil
}
