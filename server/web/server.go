package web

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"reflect"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/sketch"
	"jauntylark/history"
	"jauntylark/intake/admission"
	"jauntylark/intake/httpin"
	"jauntylark/notify"
	"jauntylark/pipeline"
	"jauntylark/standin"
	"jauntylark/store"
)

// Options say how the service shows itself.
type Options struct {
	Log          *slog.Logger
	URL          string                     // address that people reach the service by; empty: as the request says
	Secure       bool                       // people reach it over TLS, so cookies are for TLS alone
	TrustedProxy []netip.Prefix             // whose X-Forwarded-For is believed
	Inbox        *standin.Inbox             // what the stand-ins received; nil when there are none
	Disk         string                     // folder of the disk that the records are on; empty: not known
	Ways         sketch.Ways                // where devices can send, besides HTTP
	Signer       notify.Signer              // of links and callbacks
	PushPublic   string                     // the site's own public key for Web Push
	CarriersOn   []string                   // carriers that are switched on
	Gateways     map[string]*notify.Gateway // by carrier
	Passwords    Passwords
}

// Server answers over HTTP.
type Server struct {
	Options
	Store     *store.Store
	Pipeline  *pipeline.Pipeline
	Admission *admission.Control
	Upkeep    *history.Upkeep
	Echo      *echo.Echo
	api       huma.API
	served    map[*api.Operation]bool
	hub       *hub
	signIns   *signIns
	looks     *turns // answers that take long to compute
	files     *turns // answers that are written as they are read
	pictures  *turns // pictures that are brought
	streams   *streams
	ready     readyNow
	stopping  chan struct{}   // closed when the service stops
	Work      context.Context // of what goes on behind an answer
	stopWork  context.CancelFunc
	Working   sync.WaitGroup
}

// NewServer makes the routes: each of operations has some answered, and all must be.
func New(s *store.Store, d *admission.Control, k *history.Upkeep, o Options,
	operations ...func(*Server)) (*Server, error) {
	v := &Server{Options: o, Store: s, Pipeline: d.Pipeline, Admission: d, Upkeep: k, Echo: echo.New(),
		hub: newHub(s, o.Log), signIns: newSignIns(o.Passwords),
		looks: newTurns("long answers", looksAtOnce, looksOfPerson),
		files: newTurns("files", filesAtOnce, filesOfPerson), pictures: newTurns("pictures", picturesAtOnce,
			picturesOfPerson)}
	v.served = map[*api.Operation]bool{}
	v.stopping = make(chan struct{})
	v.streams = &streams{open: map[int64]int{}}
	v.Work, v.stopWork = context.WithCancel(context.Background())
	v.Echo.Logger = o.Log
	v.Echo.HTTPErrorHandler = v.answerError
	v.Echo.IPExtractor = v.clientAddress()
	cross := http.NewCrossOriginProtection()
	if o.URL != "" {
		u, err := url.Parse(o.URL)
		if err != nil || u.Scheme == "" || u.Host == "" {
			return nil, errors.New("--url is not an address like https://lark.example.org: " + o.URL)
		}
		if err := cross.AddTrustedOrigin(u.Scheme + "://" + u.Host); err != nil {
			return nil, err
		}
	}
	v.Echo.Use(middleware.Recover(), echo.WrapMiddleware(cross.Handler), echo.WrapMiddleware(words),
		echo.WrapMiddleware(pages), v.securityHeaders)

	v.api = v.newAPI()
	liveOperations(v)
	feedOperations(v)
	batchOperations(v)
	for _, answer := range operations {
		answer(v)
	}
	v.intakeOperations(&httpin.Way{Admission: d, Person: v.personByToken, Stopping: v.stopping})
	look := []string{http.MethodGet, http.MethodHead}
	v.Echo.Match(look, "/health/live", func(c *echo.Context) error { return c.String(http.StatusOK, "alive\n") })
	v.Echo.Match(look, "/health/ready", v.serveReady)
	v.Echo.Match(look, api.ProblemsPath, v.serveProblems)
	v.Echo.Match(look, api.ProblemsPath+":name", v.serveProblems)
	v.serveConsole()
	api.SayNulls(v.api.OpenAPI().Components.Schemas)
	api.TellInputs(v.api.OpenAPI())
	v.serveDescription()
	for _, op := range api.All() {
		if !v.served[op] {
			return nil, fmt.Errorf("nothing answers the operation %s", op.Name)
		}
	}
	return v, nil
}

// newAPI makes the API that the operations are declared on.
func (v *Server) newAPI() huma.API {
	config := huma.DefaultConfig("Jaunty Lark", "1")
	config.Info.Description = "Looks after places that nobody is watching."
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil
	config.Formats = map[string]huma.Format{"application/json": checkedJSON, "json": checkedJSON}
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		api.ByToken: {Type: "http", Scheme: "bearer", Description: "a person's token, from " +
			api.CreateToken.At().String()},
		api.BySession: {Type: "apiKey", In: "cookie", Name: SessionCookie},
		api.ByKey:     {Type: "http", Scheme: "bearer", Description: "a device's key"},
	}
	config.Servers = []*huma.Server{{URL: cmp.Or(v.URL, "http://127.0.0.1:8080"),
		Description: "where the service answers"}}
	made := huma.NewAPI(config, &adapter{v.Echo, v.once, v})
	schemas := made.OpenAPI().Components.Schemas
	schemas.RegisterTypeAlias(reflect.TypeFor[measure.Quality](), reflect.TypeFor[[]string]())
	api.TellLengths(schemas)
	made.OpenAPI().Components.Responses = api.DescribeFaults(schemas)
	made.UseMiddleware(v.authorise)
	return made
}

// Run answers on the listener until ctx ends. Then long polls and live streams end at once, what runs may finish within
// a second, and who is still sending is cut off.
func (v *Server) Run(ctx context.Context, listener net.Listener, certFile, keyFile string) error {
	server := &http.Server{
		Handler: Paced(v.Echo), ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute,
		IdleTimeout:    2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(v.Log.Handler(), slog.LevelDebug),
	}
	server.RegisterOnShutdown(v.hub.close)
	life, end := context.WithCancel(context.Background())
	server.BaseContext = func(net.Listener) context.Context { return life }
	requests := &counted{next: server.Handler}
	server.Handler = requests
	var beside sync.WaitGroup
	defer beside.Wait()
	defer end()
	beside.Go(func() { v.hub.run(ctx) })
	failed := make(chan error, 1)
	beside.Go(func() {
		if certFile != "" {
			failed <- server.ServeTLS(listener, certFile, keyFile)
		} else {
			failed <- server.Serve(listener)
		}
	})
	defer func() { // however it ends
		v.stopWork()
		v.Working.Wait()
	}()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	close(v.stopping)
	grace, cancel := context.WithTimeout(context.Background(), stopGrace)
	defer cancel()
	err := server.Shutdown(grace)
	if err != nil { // what still runs is given up, and who is still sending is cut off
		end()
		err = server.Close()
	}
	requests.wait(stopGrace)
	return err
}

func (v *Server) clientAddress() echo.IPExtractor {
	if len(v.TrustedProxy) == 0 {
		return echo.ExtractIPDirect()
	}
	trust := []echo.TrustOption{echo.TrustLoopback(false), echo.TrustLinkLocal(false), echo.TrustPrivateNet(false)}
	for _, p := range v.TrustedProxy {
		trust = append(trust, echo.TrustIPRange(&net.IPNet{IP: p.Addr().AsSlice(),
			Mask: net.CIDRMask(p.Bits(), p.Addr().BitLen())}))
	}
	return echo.ExtractIPFromXFFHeader(trust...)
}

func (v *Server) securityHeaders(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		if v.Secure {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if answer, err := echo.UnwrapResponse(c.Response()); err == nil {
			answer.Before(func() { challenge(c.Request(), answer) })
		}
		return next(c)
	}
}

// challenge says to whom nobody is known how to say who they are (RFC 6750 section 3).
func challenge(r *http.Request, answer *echo.Response) {
	if answer.Status != http.StatusUnauthorized {
		return
	}
	how := `Bearer realm="Jaunty Lark"`
	if r.Header.Get("Authorization") != "" {
		how += `, error="invalid_token"`
	}
	answer.Header().Set("WWW-Authenticate", how)
}

// Description gives the API's description. It marshals to JSON; YAML gives it so.
func (v *Server) Description() *huma.OpenAPI { return v.api.OpenAPI() }
