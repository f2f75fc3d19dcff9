package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"twinsieve/service"
	"twinsieve/service/view"
)

// route is one route: how it is served, and what the OpenAPI document says of it.
type route struct {
	who                       view.Role // the least role that may call it; [anyone] where nobody need be signed in
	method, path, id, summary string
	input                     any    // nil: none
	output                    any    // nil: no content
	status                    int    // of success
	produces                  string // media type of the output; "" for JSON
	consumes                  string // media type of a raw body; "" for JSON
	serve                     gin.HandlerFunc
}

// The roles, as routes state them. Anyone need not be signed in.
const (
	anyone  view.Role = "anyone"
	reader            = view.Reader
	analyst           = view.Analyst
	admin             = view.Admin
)

// routes are all routes of the interface. The server and the OpenAPI document are made from this one list.
func routes(v *service.Service) []route {
	return slices.Concat(dataRoutes(v), workRoutes(v), shareRoutes(v), peopleRoutes(v), webhookRoutes(v))
}

// maxBody is the most that a JSON request may have.
const maxBody = 4 << 20

type handler[In, Out any] func(context.Context, *In) (reply[Out], error)

func get[In, Out any](who view.Role, path, id, summary string, h handler[In, Out]) route {
	return jsonRoute(who, http.MethodGet, path, id, summary, http.StatusOK, false, h)
}

func post[In, Out any](who view.Role, path, id, summary string, status int, h handler[In, Out]) route {
	return jsonRoute(who, http.MethodPost, path, id, summary, status, true, h)
}

// start is a post without a body: all that it says is in its path.
func start[In, Out any](who view.Role, path, id, summary string, h handler[In, Out]) route {
	return jsonRoute(who, http.MethodPost, path, id, summary, http.StatusAccepted, false, h)
}

func put[In, Out any](who view.Role, path, id, summary string, h handler[In, Out]) route {
	return jsonRoute(who, http.MethodPut, path, id, summary, http.StatusOK, true, h)
}

// answering is the route with another status of success.
func (r route) answering(status int) route {
	if r.status = status; status == http.StatusNoContent {
		r.output = nil
	}
	return r
}

func remove[In, Out any](who view.Role, path, id, summary string, h handler[In, Out]) route {
	status := http.StatusOK
	if _, empty := any(*new(Out)).(*none); empty {
		status = http.StatusNoContent
	}
	return jsonRoute(who, http.MethodDelete, path, id, summary, status, false, h)
}

func jsonRoute[In, Out any](who view.Role, method, path, id, summary string, status int, body bool, h handler[In, Out]) route {
	r := route{who: who, method: method, path: path, id: id, summary: summary, input: new(In), output: *new(Out), status: status}
	if status == http.StatusNoContent {
		r.output = nil
	}
	takes := noBody
	if body {
		takes = jsonBody
	}
	binder := newBinder[In]()
	r.serve = func(c *gin.Context) {
		in, err := binder.bind(c, takes)
		if err != nil {
			fail(c, err)
			return
		}
		out, err := h(c.Request.Context(), in)
		if err != nil {
			fail(c, err)
			return
		}
		if out.etag != "" {
			c.Header("ETag", out.etag)
		}
		if out.cookie != nil {
			out.cookie.Name, out.cookie.Secure = cookieName(c.Request), encrypted(c.Request)
			http.SetCookie(c.Writer, out.cookie)
		}
		switch {
		case out.status == http.StatusNoContent:
			c.Status(http.StatusNoContent)
		case out.status != 0:
			c.JSON(out.status, out.value)
		default:
			c.JSON(http.StatusOK, out.value)
		}
	}
	return r
}

// upload is a route whose body is a file, streamed.
func upload[In, Out any](who view.Role, method, path, id, summary string, status int, h func(context.Context, *In, io.Reader) (reply[Out], error)) route {
	r := route{who: who, method: method, path: path, id: id, summary: summary, input: new(In), output: *new(Out), status: status, consumes: "application/octet-stream"}
	binder := newBinder[In]()
	r.serve = func(c *gin.Context) {
		in, err := binder.bind(c, fileBody)
		if err != nil {
			fail(c, err)
			return
		}
		out, err := h(c.Request.Context(), in, c.Request.Body)
		if err != nil {
			fail(c, err)
			return
		}
		c.JSON(out.status, out.value)
	}
	return r
}

// download is a route that answers with a file, streamed.
func download[In any](who view.Role, path, id, summary, produces string, h func(context.Context, *In) (*service.Export, error)) route {
	r := route{who: who, method: http.MethodGet, path: path, id: id, summary: summary, input: new(In), output: "", status: http.StatusOK, produces: produces}
	binder := newBinder[In]()
	r.serve = func(c *gin.Context) {
		in, err := binder.bind(c, noBody)
		if err != nil {
			fail(c, err)
			return
		}
		out, err := h(c.Request.Context(), in)
		if err != nil {
			fail(c, err)
			return
		}
		media := out.Type
		if media == "" {
			media = produces + "; charset=utf-8"
		}
		c.Header("Content-Type", media)
		if out.History != "" {
			c.Header("Twinsieve-History", out.History)
		}
		c.Header("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": out.Name}))
		if err := out.Write(c.Writer); err != nil {
			if !c.Writer.Written() {
				for _, name := range []string{"Content-Type", "Content-Disposition", "Twinsieve-History"} {
					c.Writer.Header().Del(name)
				}
				fail(c, err)
				return
			}
			// The head is out, so all that can still be said is that the file is not whole.
			panic(http.ErrAbortHandler)
		}
	}
	return r
}

// events is a route that answers with Server-Sent Events of a name, each something as JSON.
func events[In, Event any](who view.Role, path, id, summary, name string, h func(context.Context, *In, func(Event) error) error) route {
	r := route{who: who, method: http.MethodGet, path: path, id: id, summary: summary, input: new(In), output: *new(Event), status: http.StatusOK, produces: "text/event-stream"}
	binder := newBinder[In]()
	r.serve = func(c *gin.Context) {
		in, err := binder.bind(c, noBody)
		if err != nil {
			fail(c, err)
			return
		}
		begun, still := false, mayStill(c.Request.Context())
		ctx, stop := whileAllowed(c.Request.Context())
		defer stop()
		err = h(ctx, in, func(e Event) error {
			if !still() { // since the request came, the caller may have been signed out
				return context.Canceled
			}
			if !begun {
				begun = true
				c.Header("Content-Type", "text/event-stream")
				c.Header("Cache-Control", "no-store")
			}
			text, err := json.Marshal(e)
			if err != nil {
				return err
			}
			if _, err := fmt.Fprintf(c.Writer, "event: %s\ndata: %s\n\n", name, text); err != nil {
				return err
			}
			c.Writer.Flush()
			return nil
		})
		if err != nil && !begun {
			fail(c, err)
		}
	}
	return r
}

// binder reads requests of a route into its input.
type binder[In any] struct{ parameters *parameters }

func newBinder[In any]() binder[In] { return binder[In]{parametersOf(new(In))} }

// What a route takes as its body.
const (
	noBody = iota
	jsonBody
	fileBody
)

// bind reads a request: its path, query and headers, and its body where that is JSON. What the route does not take is refused.
func (b binder[In]) bind(c *gin.Context, body int) (*In, error) {
	in := new(In)
	path := map[string]string{}
	for _, p := range c.Params {
		path[p.Key] = p.Value
	}
	var err error
	switch body {
	case jsonBody:
		err = readBody(c.Writer, c.Request, in)
	case fileBody:
		err = wantFile(c.GetHeader("Content-Type"))
	default:
		err = wantNothing(c.Request)
	}
	if err != nil {
		return nil, err
	}
	return in, b.parameters.read(c.Request, path, in)
}

// fail answers with a problem.
func fail(c *gin.Context, err error) {
	var p *view.Problem
	if !errors.As(err, &p) {
		if errors.Is(err, context.Canceled) && c.Request.Context().Err() != nil {
			c.Abort() // nobody waits for an answer
			return
		}
		_ = c.Error(err) // for the log
		p = view.Failed.New("The service could not do it: " + err.Error())
	}
	c.Header("Content-Type", "application/problem+json")
	if p.RetryAfter > 0 {
		c.Header("Retry-After", strconv.FormatInt(p.RetryAfter, 10))
	}
	if p.Status == http.StatusUnauthorized {
		c.Header("WWW-Authenticate", "Bearer")
	}
	c.AbortWithStatusJSON(p.Status, p)
}
