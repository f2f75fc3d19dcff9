// Package api is the HTTP interface: Gin routes that take requests apart, call the service, and put answers together.
// It decides nothing.
//
// Routes are declared once, with the types that they read and write; the server and the OpenAPI document are made from
// that one list.
package api

import (
	"io/fs"
	"log/slog"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"

	"twinsieve/service"
	"twinsieve/service/view"
)

// Prefix is what all paths of the interface begin with.
const Prefix = "/api/v1"

// Handler serves the interface, and the console from its built files.
func Handler(v *service.Service, console fs.FS, log *slog.Logger) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.UseRawPath, engine.UnescapePathValues = true, true // names may hold any character
	engine.HandleMethodNotAllowed = true
	engine.Use(logRequests(log), recoverPanics(log), headers, sameSite())
	list := routes(v)
	group := engine.Group(Prefix)
	for _, r := range list {
		handlers := []gin.HandlerFunc{signedIn(v, r.who), r.serve}
		if r.consumes != "" {
			handlers = slices.Insert(handlers, 0, drainRefused)
		}
		group.Handle(r.method, r.path, handlers...)
	}
	// Making the document takes longer than all else that a start does, and few ask for it.
	text := sync.OnceValues(func() ([]byte, error) { return document(list) })
	group.GET("/openapi.json", func(c *gin.Context) {
		text, err := text()
		if err != nil {
			fail(c, err)
			return
		}
		c.Data(http.StatusOK, "application/json", text)
	})
	engine.GET("/healthz", func(c *gin.Context) { c.JSON(http.StatusOK, view.Health{Status: "alive"}) })
	engine.GET("/readyz", func(c *gin.Context) {
		if err := v.Ready(c.Request.Context()); err != nil {
			c.JSON(http.StatusServiceUnavailable, view.Health{Status: err.Error()})
			return
		}
		c.JSON(http.StatusOK, view.Health{Status: "ready"})
	})
	engine.NoMethod(func(c *gin.Context) {
		p := view.Invalid.New("This path does not take " + c.Request.Method + "; " + Prefix + "/openapi.json lists what it takes.")
		p.Status = http.StatusMethodNotAllowed
		fail(c, p)
	})
	engine.NoRoute(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			fail(c, view.NotFound.New("There is no such path; "+Prefix+"/openapi.json lists those that there are."))
			return
		}
		serveConsole(c, console)
	})
	return engine
}

// serveConsole serves a built file of the console, or its one page for every other path, whose address the page reads.
func serveConsole(c *gin.Context, console fs.FS) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if info, err := fs.Stat(console, name); name != "" && err == nil && !info.IsDir() {
		if strings.HasPrefix(name, "assets/") { // their names change with their contents
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		c.FileFromFS(name, http.FS(console))
		return
	}
	index, err := fs.ReadFile(console, "index.html")
	if err != nil {
		fail(c, view.NotFound.New("The console is not part of this build; build it with make build."))
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "text/html; charset=utf-8", index)
}

// sameSite refuses changes that a page of another site makes through the browser of somebody who can reach the service.
func sameSite() gin.HandlerFunc {
	protection := http.NewCrossOriginProtection()
	return func(c *gin.Context) {
		if err := protection.Check(c.Request); err != nil {
			fail(c, view.Foreign.New("The request comes from a page of another site, which may not change anything here. Open the console at this service's own address."))
			return
		}
		c.Next()
	}
}

func headers(c *gin.Context) {
	c.Header("X-Content-Type-Options", "nosniff")
	c.Header("Referrer-Policy", "same-origin")
	c.Header("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		c.Header("Cache-Control", "no-store")
	}
	c.Next()
}

func logRequests(log *slog.Logger) gin.HandlerFunc {
	return func(c *gin.Context) {
		start := time.Now()
		c.Next()
		level := slog.LevelDebug
		if c.Writer.Status() >= 500 {
			level = slog.LevelError
		}
		log.Log(c.Request.Context(), level, "request", "method", c.Request.Method, "path", loggedPath(c.Request.URL.Path), "status", c.Writer.Status(),
			"duration", time.Since(start).Round(time.Microsecond), "errors", c.Errors.String())
	}
}

// loggedPath is a path without the code of a one-time link or of a share, with which anybody who reads the log could enter.
func loggedPath(path string) string {
	for _, begin := range []string{"/api/v1/enter/", "/api/v1/shared/", "/enter/", "/shared/"} {
		if rest, ok := strings.CutPrefix(path, begin); ok {
			_, behind, more := strings.Cut(rest, "/")
			if more {
				behind = "/" + behind
			}
			return begin + "…" + behind
		}
	}
	return path
}

func recoverPanics(log *slog.Logger) gin.HandlerFunc {
	return func(c *gin.Context) {
		defer func() {
			p := recover()
			if p == nil {
				return
			}
			if p == http.ErrAbortHandler { //nolint:errorlint // the sentinel itself is what is thrown
				panic(p)
			}
			log.Error("a request failed", "path", loggedPath(c.Request.URL.Path), "panic", p)
			fail(c, view.Failed.New("The service failed on this request; its log says more."))
		}()
		c.Next()
	}
}
