// The baseline of "engagement": a bare Express handler that sends everybody to one address.
import express from 'express';

const app = express();
app.disable('x-powered-by');
app.get('/go/:token', (_request, response) => {
  response.redirect('https://saltmarsh-ferries.example/news/ramp');
});
const server = app.listen(0, '127.0.0.1', () => console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })));
