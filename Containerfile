# The program with its demo designs; designs are kept in the volume /data.
FROM python:3.11-slim
WORKDIR /build
COPY pyproject.toml README.md ./
COPY requirements requirements
COPY vane_step vane_step
RUN pip install --no-cache-dir --require-hashes -r requirements/run.txt \
    && pip install --no-cache-dir --no-deps . \
    && cd / && python -c "from vane_step.core.board.placement.placer import warm_up; warm_up(); from vane_step.core.route.router import warm_up; warm_up()" \
    && rm -rf /build \
    && useradd --create-home --uid 1000 vane && mkdir /data && chown vane /data
WORKDIR /data
USER vane
VOLUME /data
EXPOSE 8760
# Others than loopback need a key: docker run -e VANE_STEP_ACCESS_KEY=... -p 8760:8760 ...
CMD ["vane-step", "serve", "--host", "0.0.0.0", "--data", "/data", "--demo"]
HEALTHCHECK --interval=30s --timeout=5s CMD ["python", "-c", "import os, urllib.request as u; u.urlopen(u.Request('http://127.0.0.1:8760/health?key=' + os.environ['VANE_STEP_ACCESS_KEY']))"]
