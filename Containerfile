# A container of the service: build it in a checkout with `podman build -t verbalis .` (or docker).
FROM docker.io/library/node:22-bookworm AS build
WORKDIR /verbalis
COPY . .
RUN npm ci --no-audit --no-fund && npm run build && node scripts/release.mjs /release
# The package as everybody installs it, with its one dependency compiled for this Node.js.
RUN npm install --global --no-audit --no-fund --prefix /opt/verbalis /release/verbalis-[0-9]*.tgz

FROM docker.io/library/node:22-bookworm-slim
# Threads of the service would each have an arena of glibc's allocator, which keeps what they free.
ENV NODE_ENV=production PATH=/opt/verbalis/bin:$PATH MALLOC_ARENA_MAX=2
COPY --from=build /opt/verbalis /opt/verbalis
# Settings and the database live outside: -v verbalis:/data with verbalis.yaml in it. A volume that is new belongs to the user of the service.
RUN mkdir /data && chown node:node /data
VOLUME /data
WORKDIR /data
# API and console; returned mail.
EXPOSE 8620 8625
USER node
STOPSIGNAL SIGTERM
HEALTHCHECK --start-period=20s CMD ["node", "-e", "fetch('http://127.0.0.1:8620/health/ready').then((r) => process.exit(r.ok ? 0 : 1), () => process.exit(1))"]
ENTRYPOINT ["verbalis"]
CMD ["serve", "--config", "/data/verbalis.yaml"]
